// A finished record beside the mix.
#pragma once

#include "cli/output.h"
#include "core/report/reference.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace ember::cli {

// Adds it to a program's command line; run() does it if it was asked for.
class ReferenceCommand {
  public:
    explicit ReferenceCommand(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    void tell(const Output& out, const Session& session, AudioStore& store,
              const ReferenceReading& found) const;
    void change(const Output& out, const Session& whole, AudioStore& store,
                const ReferenceReading& found) const;

    CLI::App* command_;
    std::filesystem::path session_, midi_, cut_;
    std::string row_, do_;
    std::vector<double> band_;
    std::vector<std::string> draft_;
    std::optional<double> at_;
    double from_ = 0.0, to_ = -1.0;
};

}  // namespace ember::cli
