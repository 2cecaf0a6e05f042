// How rows stand in their sums: what one gives, who of a bus is heard, kick and bass by themselves.
#pragma once

#include "cli/output.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <string>

namespace ember::cli {

// Adds them to a program's command line; run() does the one that was asked for, if any.
class SumCommands {
  public:
    explicit SumCommands(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    void addsUp(const Output& out);
    void checkBus(const Output& out);
    void lowEnd(const Output& out);
    void makeMove(const Output& out);
    void through(const Output& out);
    CLI::App *addsUp_, *busCheck_, *lowEnd_, *through_;
    std::filesystem::path session_;
    std::string row_, move_;
    double from_ = 0.0, to_ = -1.0;
};

}  // namespace ember::cli
