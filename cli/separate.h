// Commands that take a recording apart, and sessions opened with what they play by.
#pragma once

#include "cli/output.h"
#include "core/report/cut_samples.h"
#include "core/session/session.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <string>
#include <vector>

namespace ember::cli {

// A session ready to be measured and rendered: paths made absolute, and what its bleed stages play
// by brought into the cache. Throws Error.
Session openSession(const std::filesystem::path& file);

// Adds them to a program's command line; run() does the one that was asked for, if any.
class SeparateCommand {
  public:
    explicit SeparateCommand(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    void separate(const Output& out);
    void cut(const Output& out);
    void alone(const Output& out);
    CLI::App *separate_, *samples_, *alone_;
    std::filesystem::path session_, folder_;
    std::vector<std::string> rows_;
    std::string row_, drum_, bus_;
    CutOptions cut_;
};

}  // namespace ember::cli
