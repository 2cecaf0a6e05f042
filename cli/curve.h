// The command of curves: what moves along the song.
#pragma once

#include "cli/output.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <string>
#include <vector>

namespace ember::cli {

// Adds it to a program's command line; run() does it if it was asked for.
class CurveCommand {
  public:
    explicit CurveCommand(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    void list(const Output& out);
    template <typename Edit>
    void change(const Output& out, Edit edit);

    CLI::App *list_, *draw_, *strokes_, *wave_, *together_, *alone_, *on_, *off_, *clear_;
    std::filesystem::path session_;
    std::string row_, what_, drum_, kind_, open_, closed_, length_ = "1/8";
    std::string form_ = "sine", movement_, lowest_, highest_;
    std::vector<std::string> points_;
    int waveBars_ = 1, cycles_ = 1;
    int bars_ = 0, every_ = 1, first_ = 1;
    double ahead_ = 2.0;
};

}  // namespace ember::cli
