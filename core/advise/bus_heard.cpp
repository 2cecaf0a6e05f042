#include "core/advise/bus_heard.h"

#include "core/base/error.h"
#include "core/base/fft.h"
#include "core/dsp/seat.h"
#include "core/measure/level/loudness.h"
#include "core/measure/strokes/played.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <set>

namespace ember {
namespace {

constexpr int kBusWindow = 8192;  // frames of a spectrum

}  // namespace

double fullestFrom(const std::vector<Stroke>& strokes) {
    double best = 0.0, most = -1.0;
    for (std::size_t i = 0; i < strokes.size();
         i += std::max<std::size_t>(1, strokes.size() / 200)) {
        const double from = std::max(0.0, strokes[i].time - 0.05);
        std::set<std::string_view> drums;
        double count = 0.0;
        for (std::size_t k = i; k < strokes.size() && strokes[k].time < from + kLongestHeard; ++k) {
            drums.insert(strokes[k].drum);
            count += 1.0;
        }
        const double full = 1000.0 * static_cast<double>(drums.size()) + count;
        if (full <= most) continue;
        most = full;
        best = from;
    }
    return best;
}

BusHeard hearBuses(const Session& session, AudioStore& store, const std::vector<Stroke>& strokes,
                   const Progress& progress) {
    std::vector<Stroke> struck = strokes;
    for (const Stroke& note : programmedStrokes(session)) struck.push_back(note);
    sortByTime(struck);
    BusHeard out;
    out.from = fullestFrom(struck);
    RenderOptions options;
    options.from = out.from;
    options.to = out.from + kLongestHeard;
    out.rows = renderRows(session, store, options, progress);
    if (out.rows.empty()) throw Error("There is nothing in the mix to listen to.");
    out.to = out.from + static_cast<double>(out.rows.front().audio.frames()) /
                            out.rows.front().audio.sampleRate;
    for (Stroke s : struck) {
        if (s.time < out.from || s.time >= out.to) continue;
        s.time -= out.from;
        out.strokes.push_back(std::move(s));
    }
    return out;
}

const AudioBuffer* audioOf(const BusHeard& heard, std::string_view row) {
    const auto at = std::find_if(heard.rows.begin(), heard.rows.end(),
                                 [&](const RowAudio& r) { return r.row == row; });
    return at != heard.rows.end() ? &at->audio : nullptr;
}

void addTo(AudioBuffer& sum, const AudioBuffer& other, double gain) {
    for (std::size_t c = 0; c < 2; ++c) {
        std::vector<float>& into = sum.channels[c];
        const std::vector<float>& from = other.channels[c];
        into.resize(std::max(into.size(), from.size()), 0.0F);
        for (std::size_t i = 0; i < from.size(); ++i) into[i] += static_cast<float>(gain) * from[i];
    }
}

AudioBuffer throughStage(std::string_view type, std::span<const double> values,
                         const AudioBuffer& in) {
    const auto processor = processorType(type).make({in.sampleRate, 2}, values);
    const auto late = static_cast<std::size_t>(processor->latency());
    AudioBuffer out = in;
    for (auto& side : out.channels) side.resize(in.frames() + late, 0.0F);
    for (std::size_t at = 0; at < out.frames(); at += kBlock) {
        const int frames = static_cast<int>(std::min<std::size_t>(kBlock, out.frames() - at));
        const AudioBlock io{{out.channels[0].data() + at, out.channels[1].data() + at}, 2, frames};
        processor->process(io, io);
    }
    for (auto& side : out.channels)
        side.erase(side.begin(), side.begin() + static_cast<std::ptrdiff_t>(late));
    return out;
}

AudioBuffer throughChain(std::span<const Stage> chain, const AudioBuffer& in) {
    AudioBuffer out = in;
    for (const Stage& stage : chain) {
        if (stage.on && !belongsToRow(stage)) out = throughStage(stage.type, stage.values, out);
    }
    return out;
}

AudioBuffer throughBus(const Row& bus, const AudioBuffer& in) {
    const Stage& seat = bus.chain.back();
    return throughStage(seat.type, seat.values, throughChain(bus.chain, in));
}

double loudnessOf(const AudioBuffer& audio) {
    LoudnessMeter meter(2, audio.sampleRate, LoudnessDetail::integrated);
    std::vector<float> both(2 * audio.frames());
    for (std::size_t i = 0; i < audio.frames(); ++i) {
        both[2 * i] = audio.channels[0][i];
        both[2 * i + 1] = audio.channels[1][i];
    }
    meter.add(both);
    return meter.result().integrated;
}

Halves halvesOf(const AudioBuffer& audio, double fromHertz, double toHertz,
                std::span<const double> times) {
    std::array<double, 2> power{};
    const std::size_t frames = audio.frames();
    std::vector<std::size_t> begins;
    if (times.empty()) {
        for (std::size_t at = 0; at + kBusWindow <= frames; at += kBusWindow / 2)
            begins.push_back(at);
    } else {
        for (const double t : times) {
            const auto at = static_cast<std::size_t>(std::max(0.0, t * audio.sampleRate));
            if (at + kBusWindow <= frames) begins.push_back(at);
        }
    }
    RealFft fft(kBusWindow);
    const double bin = audio.sampleRate / kBusWindow;
    const auto first = static_cast<std::size_t>(std::ceil(fromHertz / bin)),
               last = std::min<std::size_t>(kBusWindow / 2,
                                            static_cast<std::size_t>(std::floor(toHertz / bin)));
    for (const std::size_t begin : begins) {
        for (std::size_t half = 0; half < 2; ++half) {
            const std::span<float> time = fft.time();
            for (std::size_t i = 0; i < kBusWindow; ++i) {
                const double window = 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi *
                                                           static_cast<double>(i) / kBusWindow);
                const float l = audio.channels[0][begin + i], r = audio.channels[1][begin + i];
                time[i] = static_cast<float>(window) * 0.5F * (half == 0 ? l + r : l - r);
            }
            const auto spectrum = fft.forward();
            for (std::size_t k = first; k <= last; ++k)
                power[half] += static_cast<double>(std::norm(spectrum[k]));
        }
    }
    // A Hann window keeps three eighths of the power; two bins stand for each frequency.
    const double scale =
        begins.empty()
            ? 0.0
            : 2.0 / (0.375 * kBusWindow * kBusWindow * static_cast<double>(begins.size()));
    return {scale * power[0], scale * power[1]};
}

double sidesDb(const Halves& halves) {
    if (halves.sides <= 0.0) return kSilenceDb;
    return std::max(kSilenceDb, 10.0 * std::log10(halves.sides / std::max(halves.middle, 1e-30)));
}

}  // namespace ember
