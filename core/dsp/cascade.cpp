#include "core/dsp/cascade.h"

#include "core/dsp/processor.h"
#include "core/dsp/simd.h"

#include <algorithm>

namespace ember {
namespace {

typedef double Lanes __attribute__((vector_size(8 * Cascade::kLanes)));
typedef long long Mask __attribute__((vector_size(8 * Cascade::kLanes)));

struct State {
    Lanes b0, b1, b2, a1, a2, x1, x2, y1, y2;
};

// Advances every lane by one sample; lane k receives what lane k-1 gave one step before.
[[gnu::always_inline]] inline void step(State& s, double input) {
    Lanes x = __builtin_shufflevector(s.y1, s.y1, 0, 0, 1, 2, 3, 4, 5, 6);
    x[0] = input;
    const Lanes known = s.b1 * s.x1 + s.b2 * s.x2 - s.a2 * s.y2;
    const Lanes y = (s.b0 * x - s.a1 * s.y1) + known;
    s.x2 = s.x1;
    s.x1 = x;
    s.y2 = s.y1;
    s.y1 = y;
}

// The same for the lanes in [first, last] only; the others hold still.
[[gnu::always_inline]] inline void stepSome(State& s, double input, int first, int last) {
    constexpr Mask lane{0, 1, 2, 3, 4, 5, 6, 7};
    const Mask active =
        (lane >= static_cast<long long>(first)) & (lane <= static_cast<long long>(last));
    const State before = s;
    step(s, input);
    s.x1 = active ? s.x1 : before.x1;
    s.x2 = active ? s.x2 : before.x2;
    s.y1 = active ? s.y1 : before.y1;
    s.y2 = active ? s.y2 : before.y2;
}

}  // namespace

void Cascade::setSections(std::span<const Biquad> sections) {
    size_ = static_cast<int>(std::min<std::size_t>(sections.size(), kMaxSections));
    for (int i = 0; i < kMaxSections; ++i) {
        Group& g = groups_[static_cast<std::size_t>(i / kLanes)];
        const int lane = i % kLanes;
        const Biquad b = i < size_ ? sections[static_cast<std::size_t>(i)] : Biquad{};
        g.b0[lane] = b.b0;
        g.b1[lane] = b.b1;
        g.b2[lane] = b.b2;
        g.a1[lane] = b.a1;
        g.a2[lane] = b.a2;
    }
}

void Cascade::reset() {
    for (int i = 0; i < kMaxSections; ++i) setHistory(i, {});
}

Cascade::History Cascade::history(int section) const {
    const Group& g = groups_[static_cast<std::size_t>(section / kLanes)];
    const int lane = section % kLanes;
    return {g.x1[lane], g.x2[lane], g.y1[lane], g.y2[lane]};
}

void Cascade::setHistory(int section, const History& h) {
    Group& g = groups_[static_cast<std::size_t>(section / kLanes)];
    const int lane = section % kLanes;
    g.x1[lane] = h.x1;
    g.x2[lane] = h.x2;
    g.y1[lane] = h.y1;
    g.y2[lane] = h.y2;
}

EMBER_CLONES void Cascade::run(Group& g, double* samples, int frames) {
    State s;
    const auto load = [](const double* from) { return *reinterpret_cast<const Lanes*>(from); };
    s.b0 = load(g.b0);
    s.b1 = load(g.b1);
    s.b2 = load(g.b2);
    s.a1 = load(g.a1);
    s.a2 = load(g.a2);
    s.x1 = load(g.x1);
    s.x2 = load(g.x2);
    s.y1 = load(g.y1);
    s.y2 = load(g.y2);
    // Lane k works on sample n - k in step n: the pipe is filled, run and drained in
    // each block, so that every block ends with all lanes at the same sample. A lane's
    // input while filling is the y1 of its neighbour, which holds still until its turn.
    constexpr int last = kLanes - 1;
    for (int n = 0; n < frames + last; ++n) {
        const double input = n < frames ? samples[n] : 0.0;
        if (n >= last && n < frames) {
            step(s, input);
        } else {
            stepSome(s, input, std::max(0, n - frames + 1), std::min(last, n));
        }
        if (n >= last) samples[n - last] = s.y1[last];
    }
    const auto store = [](double* to, const Lanes& v) { *reinterpret_cast<Lanes*>(to) = v; };
    store(g.x1, s.x1);
    store(g.x2, s.x2);
    store(g.y1, s.y1);
    store(g.y2, s.y2);
}

void Cascade::process(float* samples, int frames) {
    if (size_ == 0) return;
    double work[kBlock];
    for (int i = 0; i < frames; ++i) work[i] = samples[i];
    for (int group = 0; group * kLanes < size_; ++group)
        run(groups_[static_cast<std::size_t>(group)], work, frames);
    for (int i = 0; i < frames; ++i) samples[i] = static_cast<float>(work[i]);
}

}  // namespace ember
