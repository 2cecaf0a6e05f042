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

void DrumPowers::of(int drum, std::int64_t first, std::span<float> out,
                    const OwnSound* shaped) const {
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
                out[w * bands + b] += shape[l * bands + b] * level[b] *
                                      (shaped != nullptr ? shaped->roomAt(l, b) : 1.0F);
        });
    }
    const std::size_t at =
        (d * static_cast<std::size_t>(model_.grid.windows) + static_cast<std::size_t>(first)) *
        bands;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const float moved = fromLogPower(model_.moved[at + i]);
        out[i] = out[i] * moved *
                     (shaped != nullptr
                          ? shaped->at(static_cast<std::size_t>(first) + i / bands, i % bands)
                          : 1.0F) +
                 balance_[d * bands + i % bands] * fromLogPower(model_.beside[at + i]);
    }
}

void DrumPowers::addHit(std::size_t hit, std::int64_t window, double gain, const OwnSound* shaped,
                        std::span<float> out) const {
    const auto bands = static_cast<std::size_t>(model_.grid.bands()),
               length = static_cast<std::size_t>(model_.length),
               d = static_cast<std::size_t>(model_.hits[hit].drum);
    if (window < model_.hits[hit].window || window >= model_.grid.windows) return;
    const auto lag = static_cast<std::size_t>(window - model_.hits[hit].window);
    if (lag >= length) return;
    const float* shape = pictures_.data() + (d * length + lag) * bands;
    const auto* moved = model_.moved.data() + (d * static_cast<std::size_t>(model_.grid.windows) +
                                               static_cast<std::size_t>(window)) *
                                                  bands;
    for (std::size_t b = 0; b < bands; ++b) {
        const float more = fromLogPower(moved[b]);
        out[b] += static_cast<float>(gain) * shape[b] * levels_[hit * bands + b] * more *
                  (shaped != nullptr
                       ? shaped->roomAt(lag, b) * shaped->at(static_cast<std::size_t>(window), b)
                       : 1.0F);
    }
}

void DrumPowers::addBeside(std::size_t drum, std::int64_t window, double gain,
                           std::span<float> out) const {
    const auto bands = static_cast<std::size_t>(model_.grid.bands());
    const std::size_t at =
        (drum * static_cast<std::size_t>(model_.grid.windows) + static_cast<std::size_t>(window)) *
        bands;
    for (std::size_t b = 0; b < bands; ++b)
        out[b] += static_cast<float>(gain) * balance_[drum * bands + b] *
                  fromLogPower(model_.beside[at + b]);
}

}  // namespace ember
