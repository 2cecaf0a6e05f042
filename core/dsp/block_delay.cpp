#include "core/dsp/block_delay.h"

#include "core/dsp/processor.h"

#include <algorithm>
#include <cmath>

namespace ember {

void BlockDelay::prepare(int frames, int most) {
    frames_ = std::max(frames, kBlock);
    ring_.assign(static_cast<std::size_t>(frames_ + most + kBlock + 4), 0.0F);
    at_ = 0;
}

void BlockDelay::reset() {
    std::fill(ring_.begin(), ring_.end(), 0.0F);
}

void BlockDelay::read(float* out, int count, int later) const {
    const int all = static_cast<int>(ring_.size());
    int from = at_ - frames_ - later;
    if (from < 0) from += all;
    const int first = std::min(count, all - from);
    std::copy_n(ring_.data() + from, first, out);
    std::copy_n(ring_.data(), count - first, out + first);
}

float BlockDelay::readAt(double delay, int frame) const {
    const int all = static_cast<int>(ring_.size());
    const double place = at_ + frame - delay;
    const double floor = std::floor(place);
    const auto t = static_cast<float>(place - floor);
    float p[4];
    for (int k = 0; k < 4; ++k) {
        int at = static_cast<int>(floor) + k - 1;
        at += at < 0 ? all : 0;
        p[k] = ring_[static_cast<std::size_t>(at % all)];
    }
    // Lagrange's cubic through four points.
    const float a = t * (t - 1.0F) * (t - 2.0F) / -6.0F,
                b = (t + 1.0F) * (t - 1.0F) * (t - 2.0F) / 2.0F,
                c = (t + 1.0F) * t * (t - 2.0F) / -2.0F, d = (t + 1.0F) * t * (t - 1.0F) / 6.0F;
    return a * p[0] + b * p[1] + c * p[2] + d * p[3];
}

void BlockDelay::write(const float* in, int count) {
    const int all = static_cast<int>(ring_.size());
    const int first = std::min(count, all - at_);
    std::copy_n(in, first, ring_.data() + at_);
    std::copy_n(in + first, count - first, ring_.data());
    at_ = (at_ + count) % all;
}

}  // namespace ember
