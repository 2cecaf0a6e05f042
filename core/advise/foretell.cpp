#include "core/advise/foretell.h"

#include "core/base/hash.h"
#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/measure/strokes/typical.h"

#include <algorithm>
#include <mutex>
#include <string>
#include <unordered_map>

namespace ember {
namespace {

// One stroke after silence. What strokes drive is told of it as early as it asks to be.
HeardStroke play(std::span<const float> stroke, float gain, std::string_view type,
                 std::span<const double> values) {
    const auto processor = processorType(type).make({kTypicalRate, 1}, values);
    const int lead = processor->wantsStrokes() ? processor->strokeLead() : 0;
    const int before = std::max(0, lead - processor->latency());
    const std::size_t late =
        static_cast<std::size_t>(before) + static_cast<std::size_t>(processor->latency());
    const std::size_t told = late - static_cast<std::size_t>(lead);
    HeardStroke out;
    std::vector<float> heard;
    float block[kBlock];
    for (std::size_t at = 0; at < stroke.size() + late; at += kBlock) {
        for (std::size_t i = 0; i < kBlock; ++i) {
            const std::size_t n = at + i - static_cast<std::size_t>(before);  // wraps before it
            block[i] = n < stroke.size() ? gain * stroke[n] : 0.0F;
        }
        BlockEvent strike;
        if (processor->wantsStrokes() && told >= at && told < at + kBlock) {
            strike.frame = static_cast<int>(told - at);
            processor->strike({&strike, 1});
        }
        const AudioBlock io{{block, nullptr}, 1, kBlock};
        processor->process(io, io);
        out.gainDb = std::min(out.gainDb, static_cast<double>(processor->reading().gainDb));
        heard.insert(heard.end(), block, block + kBlock);
    }
    out.figures = readStroke(std::span(heard).subspan(late, stroke.size()), kTypicalRate);
    return out;
}

// The same from memory where it was asked before: advice is given anew with every edit, and hardly
// any of its questions change from one to the next.
HeardStroke through(std::span<const float> stroke, float gain, std::string_view type,
                    std::span<const double> values) {
    constexpr std::size_t kMost = 4096;
    static std::mutex guard;
    static std::unordered_map<std::string, HeardStroke> known;
    std::string question(type);
    const auto add = [&](const void* data, std::size_t size) {
        question.append(static_cast<const char*>(data), size);
    };
    add(&gain, sizeof gain);
    add(values.data(), values.size_bytes());
    add(stroke.data(), stroke.size_bytes());
    const std::string key = hashBytes(question);
    {
        const std::lock_guard lock(guard);
        if (const auto at = known.find(key); at != known.end()) return at->second;
    }
    const HeardStroke heard = play(stroke, gain, type, values);
    const std::lock_guard lock(guard);
    if (known.size() >= kMost) known.clear();
    known.emplace(key, heard);
    return heard;
}

}  // namespace

std::vector<HeardStroke> throughProcessor(const DrumTone& tone, std::string_view type,
                                          std::span<const double> values,
                                          std::span<const double> peaksDb) {
    std::vector<HeardStroke> out;
    if (tone.typical.empty()) return out;
    const std::vector<float>& stroke = tone.typical.front();
    const double peak = readStroke(stroke, kTypicalRate).peakDb;
    for (const double db : peaksDb)
        out.push_back(through(stroke, static_cast<float>(gainFromDb(db - peak)), type, values));
    return out;
}

double thresholdFor(const DrumTone& tone, std::vector<double> values, double peakDb,
                    double reductionDb) {
    constexpr int kHalvings = 9;  // of 60 dB: to about a tenth
    double low = -60.0, high = peakDb;
    if (tone.typical.empty()) return high;
    for (int n = 0; n < kHalvings; ++n) {
        values[Compressor::threshold] = 0.5 * (low + high);
        const double taken =
            -throughProcessor(tone, "compressor", values, std::span(&peakDb, 1)).front().gainDb;
        (taken < reductionDb ? high : low) = values[Compressor::threshold];
    }
    return 0.5 * (low + high);
}

Change changeThrough(const DrumTone& tone, std::string_view type, std::span<const double> values) {
    std::vector<double> crest, punch;
    for (const std::vector<float>& stroke : tone.typical) {
        const StrokeFigures was = readStroke(stroke, kTypicalRate),
                            is = through(stroke, 1.0F, type, values).figures;
        crest.push_back(is.crestDb - was.crestDb);
        punch.push_back(is.transientToBodyDb - was.transientToBodyDb);
    }
    return {median(std::move(crest)), median(std::move(punch))};
}

}  // namespace ember
