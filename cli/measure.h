// The commands that listen: measure, advise, ledger, order, review and wave.
#pragma once

#include <CLI/CLI.hpp>

#include <filesystem>
#include <set>
#include <string>

namespace ember::cli {

// Adds them to a program's command line; run() does the one that was asked for, if any.
class ListeningCommands {
  public:
    explicit ListeningCommands(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    void measure(bool json);
    void advise(bool json);
    void ledger(bool json);
    void order(bool json);
    void review(bool json);
    void wave(bool json);
    void mics(bool json);

    CLI::App *measure_, *advise_, *ledger_, *order_, *review_, *wave_, *mics_;
    double time_ = -1.0;
    std::filesystem::path session_, out_;
    std::set<std::string> parts_, steps_, accept_;  // empty: all of them; ids, or "all"
    // Ways of working; empty: as the session has it.
    std::string align_, gate_, eq_, dynamics_, colour_, bus_, bleed_;
    std::string row_, stage_;
};

}  // namespace ember::cli
