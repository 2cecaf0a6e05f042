#include "core/measure/separate/bleed_model.h"

#include "core/base/archive.h"
#include "core/base/error.h"
#include "core/measure/separate/learnt_kit.h"
#include "core/measure/separate/mic_powers.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

std::vector<LogPower> asLogs(std::span<const float> powers) {
    std::vector<LogPower> out(powers.size());
    std::transform(powers.begin(), powers.end(), out.begin(), logPower);
    return out;
}

}  // namespace

LogPower logPower(float power) {
    const float octaves = std::log2(std::max(power, 1e-19F)) + 64.0F;
    return static_cast<LogPower>(std::clamp(octaves * 512.0F + 0.5F, 0.0F, 65535.0F));
}

float fromLogPower(LogPower log) {
    return std::exp2(static_cast<float>(log) / 512.0F - 64.0F);
}

int BleedModel::channelOf(std::string_view row, int channel) const {
    const auto at = std::find_if(channels.begin(), channels.end(), [&](const Channel& c) {
        return c.row == row && c.channel == channel;
    });
    return at != channels.end() ? static_cast<int>(at - channels.begin()) : -1;
}

int BleedModel::drumOf(std::string_view id) const {
    const auto at = std::find(drums.begin(), drums.end(), id);
    return at != drums.end() ? static_cast<int>(at - drums.begin()) : -1;
}

BleedModel measureBleedModel(const KitMics& kit, const std::vector<Stroke>& strokes,
                             const Progress& progress) {
    KitFrame frame = kitFrame(kit, strokes);
    if (frame.model.channels.empty() || frame.model.drums.empty()) return frame.model;
    const LearntKit learnt(kit, std::move(frame), progress);
    BleedModel model = learnt.frame().model;
    const PictureFit& fit = learnt.fit();
    model.pictures = asLogs(fit.pictures());
    model.levels = asLogs(fit.levels());
    model.balance = asLogs(fit.balance());
    model.noise = asLogs(fit.noise());
    // A microphone of one drum alone holds nothing else: strokes that nobody found are its own,
    // too.
    const std::vector<bool>& heard = learnt.heard();
    const std::size_t channels = model.channels.size();
    const auto bands = static_cast<std::ptrdiff_t>(model.grid.bands());
    for (std::size_t i = 0; i < heard.size(); ++i) {
        if (!heard[i])
            std::fill_n(model.noise.begin() + static_cast<std::ptrdiff_t>(i % channels) * bands,
                        bands, LogPower{0});
    }
    const auto cells = model.drums.size() * static_cast<std::size_t>(model.grid.windows) *
                       static_cast<std::size_t>(model.grid.bands());
    model.moved.resize(cells);
    model.beside.resize(cells);
    fit.followMoments(learnt.frame().close, model, progress);
    model.arrivals = measureArrivals(kit, model);
    return model;
}

namespace {

// 1: without scales, frames of hits and arrivals.
constexpr std::uint32_t kModelVersion = 2;

void put(Writer& out, const std::string& text) {
    out.resize(text);
    out.raw(text.data(), text.size());
}

template <typename Value>
void put(Writer& out, const std::vector<Value>& values) {
    out.resize(values);
    out.raw(values.data(), values.size() * sizeof(Value));
}

template <typename Value>
void take(Reader& in, Value& value) {
    in.raw(&value, sizeof value);
}

void take(Reader& in, std::string& text) {
    in.resize(text);
    in.raw(text.data(), text.size());
}

template <typename Value>
void take(Reader& in, std::vector<Value>& values) {
    in.resize(values);
    in.need(values.size() * sizeof(Value));
    in.raw(values.data(), values.size() * sizeof(Value));
}

}  // namespace

std::string toBytes(const BleedModel& model) {
    Writer out;
    out.raw(&kModelVersion, sizeof kModelVersion);
    out.raw(&model.sampleRate, sizeof model.sampleRate);
    out.raw(&model.grid.window, sizeof model.grid.window);
    put(out, model.grid.firstBin);
    out.raw(&model.grid.windows, sizeof model.grid.windows);
    out.resize(model.drums);
    for (const std::string& drum : model.drums) put(out, drum);
    out.resize(model.channels);
    for (const BleedModel::Channel& channel : model.channels) {
        put(out, channel.row);
        out.raw(&channel.channel, sizeof channel.channel);
    }
    out.raw(&model.length, sizeof model.length);
    out.resize(model.hits);
    for (const BleedModel::Hit& hit : model.hits) {
        out.raw(&hit.drum, sizeof hit.drum);
        out.raw(&hit.window, sizeof hit.window);
    }
    for (const auto* list : {&model.pictures, &model.levels, &model.balance, &model.noise,
                             &model.moved, &model.beside})
        put(out, *list);
    put(out, model.scales);
    put(out, model.struck);
    put(out, model.arrivals);
    return out.bytes();
}

BleedModel bleedModelFrom(std::string_view bytes) {
    Reader in(bytes);
    std::uint32_t version = 0;
    take(in, version);
    if (version == 0 || version > kModelVersion)
        throw Error("What the kit was taken apart by is of another version; take it apart anew.");
    BleedModel model;
    take(in, model.sampleRate);
    take(in, model.grid.window);
    take(in, model.grid.firstBin);
    take(in, model.grid.windows);
    in.resize(model.drums);
    for (std::string& drum : model.drums) take(in, drum);
    in.resize(model.channels);
    for (BleedModel::Channel& channel : model.channels) {
        take(in, channel.row);
        take(in, channel.channel);
    }
    take(in, model.length);
    in.resize(model.hits);
    for (BleedModel::Hit& hit : model.hits) {
        take(in, hit.drum);
        take(in, hit.window);
    }
    for (auto* list : {&model.pictures, &model.levels, &model.balance, &model.noise, &model.moved,
                       &model.beside})
        take(in, *list);
    if (version > 1) {
        take(in, model.scales);
        take(in, model.struck);
        take(in, model.arrivals);
    }
    const std::size_t bands = model.grid.firstBin.size(), drums = model.drums.size(),
                      channels = model.channels.size();
    const bool fits =
        drums == 0 || channels == 0 ||
        (model.pictures.size() ==
             drums * channels * static_cast<std::size_t>(model.length) * bands &&
         model.levels.size() == model.hits.size() * bands &&
         model.balance.size() == drums * channels * bands &&
         model.noise.size() == channels * bands &&
         model.moved.size() == drums * static_cast<std::size_t>(model.grid.windows) * bands &&
         model.beside.size() == model.moved.size() &&
         (model.scales.empty() ||
          (model.scales.size() == channels && model.struck.size() == model.hits.size() &&
           model.arrivals.size() == drums * channels)));
    const bool known = std::all_of(model.hits.begin(), model.hits.end(), [&](const auto& hit) {
        return hit.drum >= 0 && static_cast<std::size_t>(hit.drum) < drums;
    });
    if (!fits || !known)
        throw Error("What the kit was taken apart by is damaged; take it apart anew.");
    return model;
}

}  // namespace ember
