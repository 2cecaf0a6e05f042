// Rows made into audio: frozen, live again, printed to rows of their own; and what each takes of
// the machine.
#pragma once

#include "cli/output.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <string>
#include <vector>

namespace ember::cli {

// Adds them to a program's command line; run() does the one that was asked for, if any.
class FreezeCommand {
  public:
    explicit FreezeCommand(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    void freeze(const Output& out);
    void list(const Output& out);
    void tidy(const Output& out);
    void print(const Output& out);
    CLI::App *freeze_, *print_;
    std::filesystem::path session_;
    std::vector<std::string> rows_;
    std::string row_;
    double semitones_ = 0.0;
    bool live_ = false, costs_ = false, tidy_ = false;
};

}  // namespace ember::cli
