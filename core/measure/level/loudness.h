// Loudness after ITU-R BS.1770 / EBU R 128 and true peak, through libebur128.
#pragma once

#include "core/base/progress.h"
#include "core/base/units.h"

#include <filesystem>
#include <memory>
#include <span>

namespace ember {

struct Loudness {
    double integrated = kSilenceDb;    // LUFS, gated; -150 for silence
    double maxShortTerm = kSilenceDb;  // LUFS over 3 s
    double range = 0.0;                // LU, EBU Tech 3342
    double truePeak = kSilenceDb;      // dBTP
    double samplePeak = kSilenceDb;    // dBFS
};

// `full` is everything in Loudness; `integrated` leaves out the range, the short-term maximum and
// the true peak (the sample peak stands in for it) and costs a fraction.
enum class LoudnessDetail { integrated, full };

// Feed with interleaved frames, read at any time. One thread; not real-time safe.
class LoudnessMeter {
  public:
    LoudnessMeter(int channels, double sampleRate, LoudnessDetail detail = LoudnessDetail::full);
    ~LoudnessMeter();
    LoudnessMeter(const LoudnessMeter&) = delete;
    LoudnessMeter& operator=(const LoudnessMeter&) = delete;

    void add(std::span<const float> interleaved);
    [[nodiscard]] Loudness result() const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

// LU (EBU Tech 3342) of one or two sides of equal length, which are not empty. Pure; any thread.
double loudnessRange(std::span<const std::span<const float>> sides, double sampleRate);

Loudness measureLoudness(const std::filesystem::path& file, const Progress& progress = {});

}  // namespace ember
