#include "core/dsp/align.h"

#include "core/base/units.h"

namespace ember {
namespace {

const std::vector<Parameter>& alignTable() {
    static const std::vector<Parameter> table{
        {"trim",
         "Trim",
         Unit::dB,
         -24.0,
         24.0,
         0.0,
         Scale::linear,
         "Level before everything else, so that thresholds meet a sensible signal.",
         {}},
        {"polarity",
         "Polarity",
         Unit::none,
         0.0,
         1.0,
         0.0,
         Scale::choice,
         "Inverted turns the wave over: a mic on the other side of a head hears it so.",
         {"normal", "inverted"}},
        {"delay",
         "Delay",
         Unit::milliseconds,
         -30.0,
         30.0,
         0.0,
         Scale::linear,
         "Moves the recording later, or with a negative value earlier, against the other mics. One "
         "metre of air is about 2.9 ms.",
         {}},
    };
    return table;
}

}  // namespace

ProcessorType alignType() {
    return {
        "align",
        "Align",
        Column::align,
        false,
        "Trim, polarity and delay: brings the mics of one drum together.",
        "Fractional delay by windowed sinc in the clip source; polarity and gain are exact.",
        alignTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Align>(spec, values);
        }};
}

Align::Align(const ProcessSpec& spec, std::span<const double> values) {
    gain_.prepare(spec.sampleRate);
    setValue(trim, values[trim]);
    setValue(polarity, values[polarity]);
    Align::reset();
}

void Align::setValue(int index, double value) {
    if (index == trim) trimDb_ = value;
    if (index == polarity) flipped_ = value >= 0.5;
    gain_.aim((flipped_ ? -1.0 : 1.0) * gainFromDb(trimDb_));
}

void Align::process(const AudioBlock& io, const AudioBlock& key) {
    (void)key;
    if (!gain_.moving()) {
        const auto gain = static_cast<float>(gain_.value());
        if (gain == 1.0F) return;
        for (int c = 0; c < io.channels; ++c) {
            for (int i = 0; i < io.frames; ++i) io.channel[c][i] *= gain;
        }
        return;
    }
    for (int i = 0; i < io.frames; ++i) {
        const auto gain = static_cast<float>(gain_.next());
        for (int c = 0; c < io.channels; ++c) io.channel[c][i] *= gain;
    }
}

}  // namespace ember
