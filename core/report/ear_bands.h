// Bands as the ear parts them, for what is compared moment by moment.
#pragma once

#include "core/base/fft.h"

#include <span>
#include <vector>

namespace ember {

// Bands as wide as the ear's at that height, thirds of an octave from 40 Hz to 16 kHz: their
// centres and their edges (one more), Hz.
std::vector<double> earBands();
std::vector<double> earBandEdges();

// Powers of stretches of samples in bands, added up; the first half of a stretch counts in full,
// since there the attack is, the second fades out. One thread.
class BandPowers {
  public:
    // Edges in Hz, rising; one more than there are bands.
    BandPowers(double sampleRate, std::vector<double> edges);
    // At most 16384 samples.
    void add(std::span<const float> samples, std::vector<double>& into);
    [[nodiscard]] std::vector<double> none() const;  // as many zeros as there are bands

  private:
    double sampleRate_;
    std::vector<double> edges_;
    RealFft fft_;
};

// By how much powers differ from others, dB, by band; 0 where both lie more than `below` dB under
// the loudest band of all.
std::vector<double> bandChanges(const std::vector<double>& powers,
                                const std::vector<double>& others, double below = 50.0);

}  // namespace ember
