#include "core/advise/foretell.h"

#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/processor.h"
#include "core/measure/typical.h"

#include <algorithm>

namespace ember {
namespace {

// One stroke after silence. What strokes drive is told of it as early as it asks to be.
StrokeFigures through(std::span<const float> stroke, float gain, std::string_view type,
                      std::span<const double> values) {
    const auto processor = processorType(type).make({kTypicalRate, 1}, values);
    const int before = processor->wantsStrokes() ? processor->strokeLead() : 0;
    const auto late = static_cast<std::size_t>(before + processor->latency());
    if (processor->wantsStrokes()) {
        const Strike strike{};
        processor->strike({&strike, 1});
    }
    std::vector<float> heard;
    float block[kBlock];
    for (std::size_t at = 0; at < stroke.size() + late; at += kBlock) {
        for (std::size_t i = 0; i < kBlock; ++i) {
            const std::size_t n = at + i - static_cast<std::size_t>(before);  // wraps before it
            block[i] = n < stroke.size() ? gain * stroke[n] : 0.0F;
        }
        const AudioBlock io{{block, nullptr}, 1, kBlock};
        processor->process(io, io);
        heard.insert(heard.end(), block, block + kBlock);
    }
    return readStroke(std::span(heard).subspan(late, stroke.size()), kTypicalRate);
}

}  // namespace

std::vector<StrokeFigures> throughProcessor(const DrumTone& tone, std::string_view type,
                                            std::span<const double> values,
                                            std::span<const double> peaksDb) {
    std::vector<StrokeFigures> out;
    if (tone.typical.empty()) return out;
    const std::vector<float>& stroke = tone.typical.front();
    const double peak = readStroke(stroke, kTypicalRate).peakDb;
    for (const double db : peaksDb)
        out.push_back(through(stroke, static_cast<float>(gainFromDb(db - peak)), type, values));
    return out;
}

Change changeThrough(const DrumTone& tone, std::string_view type, std::span<const double> values) {
    std::vector<double> crest, punch;
    for (const std::vector<float>& stroke : tone.typical) {
        const StrokeFigures was = readStroke(stroke, kTypicalRate),
                            is = through(stroke, 1.0F, type, values);
        crest.push_back(is.crestDb - was.crestDb);
        punch.push_back(is.transientToBodyDb - was.transientToBodyDb);
    }
    return {median(std::move(crest)), median(std::move(punch))};
}

}  // namespace ember
