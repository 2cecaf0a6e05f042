// The commands of the library of sounds.
#pragma once

#include "cli/output.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <string>
#include <vector>

namespace ember::cli {

// Adds them to a program's command line; run() does the one that was asked for, if any.
class LibraryCommands {
  public:
    explicit LibraryCommands(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    CLI::App *scan_, *similar_, *search_;
    std::vector<std::string> folders_;
    std::filesystem::path index_, file_;
    std::string words_, role_;
    int limit_ = 10;
};

}  // namespace ember::cli
