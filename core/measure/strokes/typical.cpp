#include "core/measure/strokes/typical.h"

#include "core/base/statistics.h"
#include "core/measure/strokes/stroke_figures.h"

#include <soxr.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <span>

namespace ember {
namespace {

constexpr std::size_t kMost = 3;

std::vector<float> atTypicalRate(std::span<const float> in, double sampleRate) {
    std::vector<float> out(
        static_cast<std::size_t>(static_cast<double>(in.size()) * kTypicalRate / sampleRate));
    std::size_t made = 0;
    if (soxr_oneshot(sampleRate, kTypicalRate, 1, in.data(), in.size(), nullptr, out.data(),
                     out.size(), &made, nullptr, nullptr, nullptr) != nullptr)
        made = 0;
    out.resize(made);
    return out;
}

}  // namespace

std::vector<std::vector<float>> typicalStrokes(const std::vector<std::vector<float>>& strokes,
                                               double sampleRate) {
    const auto whole = static_cast<std::size_t>(kStrokeSeconds * sampleRate);
    std::vector<std::span<const float>> cut;
    cut.reserve(strokes.size());
    for (const auto& x : strokes) cut.push_back(std::span(x).first(std::min(whole, x.size())));
    std::vector<double> punch;
    punch.reserve(cut.size());
    for (const auto x : cut) punch.push_back(readStroke(x, sampleRate).transientToBodyDb);
    const double middle = median(punch);
    std::vector<std::size_t> order(cut.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    // One cut short by the next stroke tells less about the body: whole ones first.
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        const bool wholeA = cut[a].size() == whole, wholeB = cut[b].size() == whole;
        if (wholeA != wholeB) return wholeA;
        return std::abs(punch[a] - middle) < std::abs(punch[b] - middle);
    });
    std::vector<std::vector<float>> out;
    for (std::size_t n = 0; n < std::min(kMost, order.size()); ++n)
        out.push_back(atTypicalRate(cut[order[n]], sampleRate));
    return out;
}

}  // namespace ember
