// From recordings to a session, or into one.
#pragma once

#include "cli/output.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace ember::cli {

// Adds `intake` to a program's command line; run() does it where it was asked for.
class IntakeCommand {
  public:
    explicit IntakeCommand(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    CLI::App* command_;
    std::vector<std::string> inputs_;
    std::filesystem::path out_, into_;  // a session to write, or one to add to
    std::filesystem::path like_;        // an earlier session, as which a new one begins
    std::optional<double> tempo_;
    std::string as_;  // element, guest or reference; empty: as recognised
};

}  // namespace ember::cli
