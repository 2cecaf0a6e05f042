// How rows stand in their sums: what one gives, who of a bus is heard, kick and bass by themselves,
// how drums come through, which room they stand in, and how much room the levels leave.
#pragma once

#include "cli/output.h"
#include "core/session/session.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <functional>
#include <optional>
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
    void whole(const Output& out);
    void range(const Output& out);
    void lowEnd(const Output& out);
    void through(const Output& out);
    void oneRoom(const Output& out);
    void punch(const Output& out);
    void ceiling(const Output& out);
    void drawCeiling(const Output& out);
    void headroom(const Output& out);
    // What one of them offers, made: `make` gets the session of the file, with the strokes heard in
    // it, and the same with paths that open.
    void make(const Output& out,
              const std::function<Session(Session struck, const Session& whole)>& make);
    void makeMove(const Output& out);
    void raise(const Output& out);
    void bringTogether(const Output& out);
    void trim(const Output& out);
    CLI::App *addsUp_, *busCheck_, *whole_, *range_, *lowEnd_, *through_, *oneRoom_, *punch_,
        *ceiling_, *headroom_;
    std::filesystem::path session_;
    std::string row_, move_, wish_;
    bool trim_ = false;  // or no line
    std::optional<double> draw_;
    double from_ = 0.0, to_ = -1.0;
};

}  // namespace ember::cli
