// What a person arranges for themselves: streams of a row, controls that move several parameters,
// and how the work stands.
#pragma once

#include "cli/output.h"
#include "core/session/session.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <string>
#include <vector>

namespace ember::cli {

// Adds them to a program's command line; run() does the one that was asked for, if any.
class OwnCommands {
  public:
    explicit OwnCommands(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    [[nodiscard]] std::string rowIn(const Session& session) const;
    void split(const Output& out);
    void control(const Output& out);
    void listControls(const Output& out);
    void work(const Output& out);
    CLI::App *split_, *join_, *control_, *work_;
    std::filesystem::path session_;
    std::string together_, row_, by_, name_, value_, moves_, from_, to_, drops_, rename_;
    bool remove_ = false;
    std::string lower_, upper_;
    std::vector<std::string> budgets_;
};

}  // namespace ember::cli
