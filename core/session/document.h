// A session with its past: undo, redo and the logbook.
#pragma once

#include "core/session/diff.h"
#include "core/session/step.h"

#include <cstdint>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace ember {

// Why something was done: what the proposal said that somebody took.
struct Why {
    std::string row, stage;  // of what changed there
    std::string reason;
    std::string proposal = {};  // its id
};

struct LogEntry {
    std::int64_t time = 0;  // seconds since 1970, UTC
    Difference what;
    std::string reason = {}, proposal = {};
    bool note = false;           // a line of a person's own, about `what.row` and `what.stage`
    std::optional<double> at{};  // of a note: seconds of song time that it is about
    std::string extra = {};      // unknown fields of the file, kept
    bool operator==(const LogEntry&) const = default;
};

// Undo keeps steps back from the present session. The logbook only grows: undoing adds a line, it
// never erases one.
class Document {
  public:
    Document() = default;
    explicit Document(Session session, std::vector<LogEntry> log = {});

    [[nodiscard]] const Session& session() const { return session_; }
    [[nodiscard]] const std::vector<LogEntry>& log() const { return log_; }

    // Makes `next` the session. Edits with the same non-empty gesture in a row (one
    // drag) become one step. Does nothing when nothing changed. What changed at a place of `why` is
    // logged with that reason.
    void edit(Session next, const std::string& gesture = {}, const std::vector<Why>& why = {});
    // The next edit starts a step of its own even with the same gesture.
    void endGesture() { gesture_.clear(); }

    // Gives a snapshot its clip, in the session and in everything one may go back or forth to: how
    // it sounded is known a little after it was taken, and is no edit. Whether it stands anywhere.
    bool keepClip(const std::string& snapshot, std::int64_t taken, const MixClip& clip);

    [[nodiscard]] bool canUndo() const { return !past_.empty(); }
    [[nodiscard]] bool canRedo() const { return !future_.empty(); }
    // What undo or redo would take back or bring back, in a sentence; empty if nothing.
    [[nodiscard]] std::string undoText() const;
    [[nodiscard]] std::string redoText() const;
    void undo();
    void redo();

    // Every file that the session plays, or would after undoing or redoing.
    [[nodiscard]] std::set<std::string> files() const;

    // A line that the program writes.
    void note(const std::string& text);
    // A line of a person's own, about a row, a stage of it, a place in the song, or about
    // everything. Throws Error where it is empty.
    void addNote(const std::string& text, const std::string& row = {},
                 const std::string& stage = {}, std::optional<double> at = {});
    // Why what a line tells was done; lines about the same that stand together get it together.
    // Throws Error where there is no such line.
    void explain(std::size_t line, const std::string& reason);

  private:
    void walk(std::vector<Step>& from, std::vector<Step>& to);
    void log(Difference what, const std::vector<Why>& why = {});

    static constexpr std::size_t kDepth = 500;

    Session session_;
    std::vector<Step> past_, future_;  // from the session back, and from it forth; nearest last
    std::vector<LogEntry> log_;
    std::string gesture_;
    std::size_t gestureLog_ = 0;  // log size before the running gesture
};

}  // namespace ember
