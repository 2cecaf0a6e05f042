#include "core/dsp/block_delay.h"

#include "core/dsp/processor.h"

#include <algorithm>
#include <cmath>

namespace ember {

void BlockDelay::prepare(int frames, int most) {
    frames_ = std::max(frames, kBlock);
    const int room = frames_ + most + kBlock + 4;
    ring_.assign(static_cast<std::size_t>(room), 0.0F);
    at_ = 0;
}

void BlockDelay::reset() {
    std::fill(ring_.begin(), ring_.end(), 0.0F);
}

void BlockDelay::copy(float* out, int count, int back) const {
    const int all = static_cast<int>(ring_.size());
    int from = at_ - back;
    if (from < 0) from += all;
    const int first = std::min(count, all - from);
    std::copy_n(ring_.data() + from, first, out);
    std::copy_n(ring_.data(), count - first, out + first);
}

void BlockDelay::read(float* out, int count, int later) const {
    copy(out, count, frames_ + later);
}

void BlockDelay::readMoving(float* out, int count, double from, double to) const {
    constexpr int kAround = 8;
    float near[kBlock + kAround];
    const int back = static_cast<int>(std::ceil(std::max(from, to))) + 1;
    copy(near, count + kAround, back);
    const double step = (to - from) / count;
    const auto placeOf = [&](int i) { return back + i - (from + step * i); };
    const auto ahead = [&](int i) { return static_cast<int>(placeOf(i)) - i; };
    // The way goes evenly, so frames that read equally far ahead follow on one another: without a
    // step among them the compiler does several at once.
    for (int begin = 0; begin < count;) {
        const int far = ahead(begin);
        int end = count, known = begin;
        while (ahead(end - 1) != far) {
            const int middle = known + (end - known) / 2;
            (ahead(middle) == far ? known : end) = middle;
            if (end - known <= 1) break;
        }
        const float* around = near + far - 1;
        for (int i = begin; i < end; ++i) {
            const auto t = static_cast<float>(placeOf(i) - (far + i));
            const float* p = around + i;
            // Lagrange's cubic through four points.
            out[i] = t * (t - 1.0F) * (t - 2.0F) / -6.0F * p[0] +
                     (t + 1.0F) * (t - 1.0F) * (t - 2.0F) / 2.0F * p[1] +
                     (t + 1.0F) * t * (t - 2.0F) / -2.0F * p[2] +
                     (t + 1.0F) * t * (t - 1.0F) / 6.0F * p[3];
        }
        begin = end;
    }
}

void BlockDelay::write(const float* in, int count) {
    const int all = static_cast<int>(ring_.size());
    const int first = std::min(count, all - at_);
    std::copy_n(in, first, ring_.data() + at_);
    std::copy_n(in + first, count - first, ring_.data());
    at_ = (at_ + count) % all;
}

}  // namespace ember
