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

// The session with a drum turned up or down in a row ("−24", "silent"), in a bleed step that is put
// in where there is none; the kit is taken apart for it where it was not. Throws Error.
Session withDrumTurned(Session session, const std::filesystem::path& file, const std::string& row,
                       const std::string& drum, const std::string& value);

}  // namespace ember::cli
