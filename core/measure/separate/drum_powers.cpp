#include "core/measure/separate/drum_powers.h"

namespace ember {

DrumPowers::DrumPowers(const BleedModel& model, int channel) : model_(model) {
    const auto bands = static_cast<std::size_t>(model.grid.bands()),
               length = static_cast<std::size_t>(model.length), channels = model.channels.size(),
               c = static_cast<std::size_t>(channel);
    const auto take = [](std::vector<float>& to, const std::vector<LogPower>& from,
                         std::size_t first, std::size_t count) {
        for (std::size_t i = 0; i < count; ++i) to.push_back(fromLogPower(from[first + i]));
    };
    for (std::size_t d = 0; d < model.drums.size(); ++d) {
        take(pictures_, model.pictures, (d * channels + c) * length * bands, length * bands);
        take(balance_, model.balance, (d * channels + c) * bands, bands);
    }
    take(levels_, model.levels, 0, model.levels.size());
    take(noise_, model.noise, c * bands, bands);
}

void DrumPowers::of(int drum, std::int64_t first, std::span<float> out) const {
    const auto bands = static_cast<std::size_t>(model_.grid.bands()),
               length = static_cast<std::size_t>(model_.length), d = static_cast<std::size_t>(drum);
    const auto count = static_cast<std::int64_t>(out.size() / bands);
    std::fill(out.begin(), out.end(), 0.0F);
    const float* shape = pictures_.data() + d * length * bands;
    for (std::size_t h = 0; h < model_.hits.size(); ++h) {
        if (model_.hits[h].drum != drum) continue;
        const float* level = levels_.data() + h * bands;
        eachWindow(model_.hits[h].window, length, first, count, [&](std::size_t l, std::size_t w) {
            for (std::size_t b = 0; b < bands; ++b)
                out[w * bands + b] += shape[l * bands + b] * level[b];
        });
    }
    const std::size_t at =
        (d * static_cast<std::size_t>(model_.grid.windows) + static_cast<std::size_t>(first)) *
        bands;
    for (std::size_t i = 0; i < out.size(); ++i) {
        out[i] = out[i] * fromLogPower(model_.moved[at + i]) +
                 balance_[d * bands + i % bands] * fromLogPower(model_.beside[at + i]);
    }
}

}  // namespace ember
