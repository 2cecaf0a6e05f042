// The command that takes a recording apart, and sessions opened with what they play by.
#pragma once

#include "cli/output.h"
#include "core/session/session.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <string>
#include <vector>

namespace ember::cli {

// A session ready to be measured and rendered: paths made absolute, and what its bleed stages play
// by brought into the cache. Throws Error.
Session openSession(const std::filesystem::path& file);

// Adds it to a program's command line; run() does it where it was asked for.
class SeparateCommand {
  public:
    explicit SeparateCommand(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    CLI::App* separate_;
    std::filesystem::path session_, folder_;
    std::vector<std::string> rows_;
};

}  // namespace ember::cli
