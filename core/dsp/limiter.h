// Limiter with a true-peak ceiling.
//
// The peak between the samples is read at eight times the rate through the windowed sinc that
// true-peak meters use (ITU-R BS.1770-4, annex 2, as in libebur128, of whose points these are a
// superset); the gain it asks for is held over
// the look-ahead (a running minimum) and rounded by a raised-cosine window of the same length, so
// that it has arrived when the peak does (Giannoulis, Massberg & Reiss, JAES 60(6), 2012, sec. 3,
// with the smoothing as a finite window). Release is exponential in dB.
// Latency: look-ahead and reading ahead together.
#pragma once

#include "core/dsp/delay_line.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

#include <array>
#include <utility>
#include <vector>

namespace ember {

class Limiter : public ValueProcessor<Limiter> {
  public:
    enum Index { drive, ceiling, release, output };

    Limiter(const ProcessSpec& spec, std::span<const double> values);
    [[nodiscard]] int latency() const override { return delay_.frames(); }
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    void replay(const AudioBlock& io, const Processor& master) override;

  private:
    float lowest(float wanted);

    ProcessSpec spec_;
    std::vector<double> values_;
    void readPeaks(const AudioBlock& io, float* peaks);

    static constexpr int kPhases = 8;
    int half_ = 6;                                    // samples on either side of the kernel
    std::array<std::vector<float>, kPhases> kernel_;  // phase 0 is the sample itself
    std::array<std::vector<float>, 2> past_;          // what the kernel still needs, then the block
    DelayLine delay_;
    Smoother drive_, ceiling_, output_;
    // Running minimum over the window: places and values, ascending (monotonic queue).
    std::vector<std::pair<long, float>> queue_;
    std::size_t head_ = 0, tail_ = 0;
    long place_ = 0;
    int window_ = 64;
    std::vector<float> shape_,
        held_;                // smoothing window; history of the held minimum, then a block
    double releasing_ = 0.0;  // dB
    float gains_[kBlock] = {};
};

ProcessorType limiterType();

}  // namespace ember
