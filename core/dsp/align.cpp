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
        {"right-trim",
         "Right trim",
         Unit::dB,
         -24.0,
         24.0,
         0.0,
         Scale::linear,
         "Of a pair: level of the right side beside the left one's.",
         {}},
        {"right-polarity",
         "Right polarity",
         Unit::none,
         0.0,
         1.0,
         0.0,
         Scale::choice,
         "Of a pair: turns the right side over against the left one, when one of them was wired "
         "the other way.",
         {"as left", "inverted"}},
        {"right-delay",
         "Right delay",
         Unit::milliseconds,
         -30.0,
         30.0,
         0.0,
         Scale::linear,
         "Of a pair: moves the right side later, or with a negative value earlier, against the "
         "left one.",
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
    for (Side& side : sides_) side.gain.prepare(spec.sampleRate);
    for (const int index : {trim, polarity, rightTrim, rightPolarity})
        setValue(index, values[static_cast<std::size_t>(index)]);
    Align::reset();
}

void Align::setValue(int index, double value) {
    if (index == trim) sides_[0].trimDb = value;
    if (index == polarity) sides_[0].flipped = value >= 0.5;
    if (index == rightTrim) sides_[1].trimDb = value;
    if (index == rightPolarity) sides_[1].flipped = value >= 0.5;
    const double both = (sides_[0].flipped ? -1.0 : 1.0) * gainFromDb(sides_[0].trimDb);
    sides_[0].gain.aim(both);
    sides_[1].gain.aim(both * (sides_[1].flipped ? -1.0 : 1.0) * gainFromDb(sides_[1].trimDb));
}

void Align::reset() {
    for (Side& side : sides_) side.gain.jump(side.gain.target());
}

void Align::process(const AudioBlock& io, const AudioBlock& key) {
    (void)key;
    for (int c = 0; c < io.channels; ++c) {
        Smoother& smoother = sides_[static_cast<std::size_t>(c)].gain;
        float* samples = io.channel[c];
        if (smoother.moving()) {
            for (int i = 0; i < io.frames; ++i) samples[i] *= static_cast<float>(smoother.next());
            continue;
        }
        const auto gain = static_cast<float>(smoother.value());
        if (gain == 1.0F) continue;
        for (int i = 0; i < io.frames; ++i) samples[i] *= gain;
    }
    // A mono row has no right side; its gain still arrives.
    if (io.channels == 1) sides_[1].gain.jump(sides_[1].gain.target());
}

}  // namespace ember
