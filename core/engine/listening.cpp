#include "core/engine/listening.h"

#include <algorithm>

namespace ember {

Listening::Listening() {
    for (Way* way : {&way_, &lessWay_}) {
        for (auto& side : way->ring) side.assign(kMostLate, 0.0F);
    }
}

void Listening::aim(const Heard& what) {
    what_ = what;
    for (HeardRow* row : {&what_.row, &what_.less})
        row->delay = std::clamp(row->delay, 0, kMostLate - kBlock);
    way_.begin(what_.row);
    lessWay_.begin(what_.less);
}

void Listening::Way::begin(const HeardRow& from) {
    at = 0;
    if (from.plan == nullptr || from.delay == 0) return;
    for (auto& side : ring) std::fill_n(side.begin(), from.delay, 0.0F);
}

void Listening::Way::add(const HeardRow& from, float gain, float* const (&out)[2]) {
    if (from.plan == nullptr) return;
    const float by = gain * from.gain;
    for (std::size_t c = 0; c < 2; ++c) {
        const int side = static_cast<int>(c);
        const float* made =
            from.row < 0 ? from.plan->mainOutput(side) : from.plan->output(from.row, side);
        if (from.delay == 0) {
            for (int i = 0; i < kBlock; ++i) out[c][i] += by * made[i];
            continue;
        }
        for (std::size_t i = 0; i < kBlock; ++i) {
            ring[c][(at + i + static_cast<std::size_t>(from.delay)) % kMostLate] = made[i];
            out[c][i] += by * ring[c][(at + i) % kMostLate];
        }
    }
    at += kBlock;
}

void Listening::read(float* left, float* right) {
    float* const out[2] = {left, right};
    for (float* side : out) std::fill_n(side, kBlock, 0.0F);
    way_.add(what_.row, 1.0F, out);
    lessWay_.add(what_.less, -1.0F, out);
}

}  // namespace ember
