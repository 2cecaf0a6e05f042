// The commands that prove and remember: snapshots, comparison, notes, the recall sheet.
#pragma once

#include "cli/output.h"
#include "core/session/session.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <optional>
#include <string>

namespace ember::cli {

// Adds them to a program's command line; run() does the one that was asked for, if any.
class ProveCommands {
  public:
    explicit ProveCommands(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    void snapshot(const Output& out);
    void list(const Output& out);
    void compare(const Output& out);
    void note(const Output& out);
    // With a snapshot, and its clip where one is wanted.
    [[nodiscard]] Session taken(Session session) const;
    void drive(const Output& out);
    void shorten(const Output& out);
    void report(const Output& out);

    CLI::App *take_, *list_, *use_, *name_, *judge_, *drop_, *bring_;
    CLI::App *compare_, *note_, *drive_, *shorten_, *report_;
    std::filesystem::path session_, file_, other_;
    std::optional<double> clip_;
    std::string which_, text_, verdict_, a_ = "now", b_ = "now", row_, stage_;
    double from_ = 0.0, to_ = -1.0;
    bool settingsAlone_ = false, doing_ = false;
};

}  // namespace ember::cli
