// The commands for layers and programmed parts: kits of one-shots, stacks, patterns, MIDI.
#pragma once

#include "cli/output.h"
#include "core/report/print_stack.h"

#include <CLI/CLI.hpp>

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace ember::cli {

// Adds them to a program's command line; run() does the one that was asked for, if any.
class LayerCommands {
  public:
    explicit LayerCommands(CLI::App& app);
    // Throws Error when the job fails.
    void run(bool json);

  private:
    void addLayerCommands(CLI::App& app);
    void addPatternCommands(CLI::App& app);
    void makeKit(const Output& out);
    void align(const Output& out);
    void contributions(const Output& out);
    void quiet(const Output& out);
    void agreements(const Output& out);
    void print(const Output& out);
    void show(const Output& out);
    void exportMidi(const Output& out);
    void importMidi(const Output& out);
    CLI::App *kit_, *align_, *contributions_, *quiet_, *agreements_, *fit_, *add_, *support_,
        *remove_, *set_, *print_;
    CLI::App *show_, *humanise_, *correct_, *export_, *import_;
    std::filesystem::path session_, file_, other_, target_, midi_;
    std::vector<std::string> files_;
    std::string row_, drum_, layer_, value_, name_;
    double timing_ = 8.0, velocity_ = 8.0, limit_ = 20.0, share_ = 100.0;
    int grid_ = 4;
    std::uint64_t seed_ = 1;
    StackPrintOptions printed_;
    bool strokes_ = false, beside_ = false, twins_ = false, alone_ = false;
};

}  // namespace ember::cli
