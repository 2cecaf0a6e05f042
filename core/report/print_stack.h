// A stack of layers printed to samples: one, or a set by velocity with several in turn.
#pragma once

#include "core/audio/file.h"
#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <filesystem>
#include <string>
#include <vector>

namespace ember {

struct StackPrintOptions {
    int steps = 1;         // of velocity, 1 to 16: the hardest is 1, the others even steps below
    int variations = 1;    // of each, 1 to 16
    double longest = 6.0;  // seconds of a sample, 0.1 to 30
    bool flac = false;     // 24 bit; otherwise WAV of 32-bit floats
};

struct StackSample {
    std::filesystem::path file;
    double velocity = 1.0;  // 0..1
    int step = 1, variation = 1;
    double seconds = 0.0;
    double peakDb = 0.0;  // dBFS
};

struct StackPrint {
    std::vector<StackSample> samples;  // softest first
    std::filesystem::path map;         // SFZ, where there is more than one sample; else empty
    std::filesystem::path recipe;      // a session of the stack alone
};

// What strokes of a row's drum start, one after the other, behind the row's chain and before its
// fader, by the rules of its layers (no soft stroke is a ghost note here), each with its tail until
// that is 90 dB under the peak. A sample holds in itself what it is made of, the drum's usual key
// and its velocities. Beside the samples ("NAME.wav", or "NAME v1 r1.wav" softest first) stands the
// recipe, a session with the stack and its settings that opens like any other, its sounds where
// they are. Throws Error (no layers, nothing that a stroke starts, files that are there already, a
// FLAC that would clip) or Cancelled, and leaves nothing behind then. Any thread.
StackPrint printStack(const Session& session, AudioStore& store, const std::string& row,
                      const std::filesystem::path& folder, const StackPrintOptions& options = {},
                      const Progress& progress = {});

}  // namespace ember
