// Long-term power spectra by Welch's method (IEEE Trans. Audio Electroacoust. 15(2),
// 1967) and their reading in fractional octaves.
#pragma once

#include "core/base/fft.h"

#include <span>
#include <vector>

namespace ember {

// Level in dB by centre frequency, log-spaced. 0 dB: a full-scale sine in its band.
struct Spectrum {
    std::vector<double> frequency;  // Hz
    std::vector<double> level;      // dB, -150 at least
    bool operator==(const Spectrum&) const = default;
};

// Collects a signal of any length in overlapping Hann windows. One thread.
class SpectrumMeter {
  public:
    static constexpr int kLength = 8192;

    explicit SpectrumMeter(double sampleRate);
    void add(std::span<const float> samples);
    // Power in bands of 1/perOctave octave from 20 Hz to 20 kHz (or Nyquist), averaged over time.
    [[nodiscard]] Spectrum result(int perOctave = 12) const;
    // Mean power within [low, high) Hz.
    [[nodiscard]] double power(double low, double high) const;

  private:
    double sampleRate_;
    RealFft fft_;
    std::vector<float> window_, pending_;
    std::vector<double> power_;
    long frames_ = 0;
};

}  // namespace ember
