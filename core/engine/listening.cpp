#include "core/engine/listening.h"

#include <algorithm>

namespace ember {

Listening::Listening() {
    for (auto& side : ring_) side.assign(kMostLate, 0.0F);
}

void Listening::aim(const Plan* plan, int row, float gain, int delay) {
    plan_ = plan;
    row_ = row;
    gain_ = gain;
    delay_ = std::clamp(delay, 0, kMostLate - kBlock);
    at_ = 0;
    if (delay_ == 0) return;
    for (auto& side : ring_) std::fill_n(side.begin(), delay_, 0.0F);
}

void Listening::read(float* left, float* right) {
    float* const out[2] = {left, right};
    if (plan_ == nullptr) {
        for (float* side : out) std::fill_n(side, kBlock, 0.0F);
        return;
    }
    for (std::size_t c = 0; c < 2; ++c) {
        const int side = static_cast<int>(c);
        const float* made = row_ < 0 ? plan_->mainOutput(side) : plan_->output(row_, side);
        if (delay_ == 0) {
            for (int i = 0; i < kBlock; ++i) out[c][i] = gain_ * made[i];
            continue;
        }
        auto& ring = ring_[c];
        for (std::size_t i = 0; i < kBlock; ++i) {
            ring[(at_ + i + static_cast<std::size_t>(delay_)) % kMostLate] = made[i];
            out[c][i] = gain_ * ring[(at_ + i) % kMostLate];
        }
    }
    at_ += kBlock;
}

}  // namespace ember
