// The commands that change a session as the window does: steps, chains, keys, targets, spots,
// strokes, declined proposals, the song's time, and back again.
#pragma once

#include "cli/output.h"
#include "core/session/session.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace ember::cli {

// Edits the session in a file as the window does, with lines in the logbook and a reason for all of
// them, and tells what changed and what is to be said beside that. Paths that `make` gives may be
// absolute. Throws Error.
void changeSession(const Output& out, const std::filesystem::path& file,
                   const std::function<Session(Session)>& make,
                   const std::vector<std::string>* noticed = nullptr,
                   const std::string& reason = {});

// With the strokes that are heard in its recordings, for what they drive; the session as its file
// has it. Throws Error.
Session withStrokesHeard(Session session, const std::filesystem::path& file);

// Adds them to a program's command line; run() does the one that was asked for, if any. Every edit
// is a line in the logbook, and the session before it stays beside the file for `undo`.
class EditCommands {
  public:
    explicit EditCommands(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    void change(bool json, const std::function<Session(Session)>& make);
    void preset(bool json);
    void send(bool json);
    void setTime(bool json);
    void undo(bool json);

    CLI::App *add_, *remove_, *move_, *copy_, *key_, *send_, *bus_, *preset_, *chain_, *target_,
        *spot_, *stroke_, *decline_, *time_, *undo_;
    std::filesystem::path session_, file_;
    std::string row_, stage_, what_, name_, drum_, kind_ = "normal";
    int steps_ = 0, bar_ = 0;  // no bar: the whole song
    double from_ = 0.0, to_ = 0.0, level_ = 0.0, at_ = 0.0, velocity_ = 0.7, bpm_ = 0.0;
    bool save_ = false, removing_ = false, ready_ = false, average_ = false, following_ = false;
    std::string strokes_ = "loudest", metre_;
    std::string sendFrom_, sendOn_;
    std::optional<double> start_, sendLevel_, sendPan_;
};

}  // namespace ember::cli
