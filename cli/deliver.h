// What leaves the house, several things at once.
#pragma once

#include "cli/output.h"
#include "core/report/deliver.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <string>
#include <vector>

namespace ember::cli {

// Adds `deliver` to a program's command line; run() does it where it was asked for.
class DeliverCommand {
  public:
    explicit DeliverCommand(CLI::App& app);
    // Throws Error when the job fails; a delivery without some of its recordings is written, and
    // then is one.
    void run(bool json);

  private:
    CLI::App* command_;
    std::filesystem::path session_;
    DeliveryOrder order_;
    std::vector<std::string> mixes_, stems_;
    std::string returns_ = "inside";
};

}  // namespace ember::cli
