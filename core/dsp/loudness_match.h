// Keeps what comes out as loud as what went in, in LU, while it plays.
//
// Both signals are K-weighted and summed over 100 ms; from the last twenty seconds of each the
// gated loudness is read (ITU-R BS.1770-4: blocks of 400 ms, overlapping by three quarters, gates
// at -70 LUFS and 10 LU under the mean), and the gain between the two is what matches them.
// Real-time safe.
#pragma once

#include <array>
#include <cstddef>

namespace ember {

class LoudnessMatch {
  public:
    void prepare(double sampleRate);
    void reset();
    // One frame; channel sums of squares belong together.
    void add(int channel, double in, double out);
    // After all channels of a frame. True when a new gain is known.
    bool endFrame();
    // Linear; 1 before anything was heard.
    [[nodiscard]] double gain() const { return gain_; }

  private:
    static constexpr std::size_t kPieces = 200;  // of 100 ms
    struct Weight {
        double z[4] = {};
    };
    double weigh(Weight& w, double x) const;
    [[nodiscard]] double gated(const std::array<double, kPieces>& energies) const;

    double shelf_[5] = {}, high_[2] = {};
    std::array<Weight, 2> in_{}, out_{};
    std::array<double, kPieces> inEnergy_{}, outEnergy_{};
    std::size_t count_ = 0, at_ = 0;
    int frames_ = 0, piece_ = 4800;
    double sumIn_ = 0.0, sumOut_ = 0.0, gain_ = 1.0;
};

}  // namespace ember
