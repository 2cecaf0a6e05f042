#include "core/dsp/gate.h"

#include "core/base/units.h"

#include <cmath>
#include <numbers>

namespace ember {
namespace {

const std::vector<Parameter>& gateTable() {
    static const std::vector<Parameter> table{
        {"threshold",
         "Threshold",
         Unit::dB,
         -80.0,
         0.0,
         -36.0,
         Scale::linear,
         "Opens when the key rises above this. Above the neighbours, below the quiet strokes.",
         {}},
        {"hysteresis",
         "Hysteresis",
         Unit::dB,
         0.0,
         24.0,
         6.0,
         Scale::linear,
         "Closes this far below the opening threshold, so that decay is kept and the gate does not "
         "chatter.",
         {}},
        {"attack",
         "Attack",
         Unit::milliseconds,
         0.05,
         50.0,
         0.5,
         Scale::logarithmic,
         "Time to open fully. Short keeps the stick, too short clicks.",
         {}},
        {"hold",
         "Hold",
         Unit::milliseconds,
         1.0,
         2000.0,
         60.0,
         Scale::logarithmic,
         "Stays open this long after the key last stood above the closing threshold.",
         {}},
        {"release",
         "Release",
         Unit::milliseconds,
         5.0,
         4000.0,
         120.0,
         Scale::logarithmic,
         "Time to close fully. As long as the drum rings, as short as the neighbours demand.",
         {}},
        {"floor",
         "Floor",
         Unit::dB,
         -90.0,
         0.0,
         -20.0,
         Scale::linear,
         "What remains when closed. Minus 10 to minus 20 dB sounds less chopped than silence.",
         {}},
        structuralParameter(
            {"look-ahead",
             "Look-ahead",
             Unit::milliseconds,
             0.0,
             20.0,
             1.0,
             Scale::linear,
             "Opens this much before the stroke, so that its first millisecond is saved. Adds that "
             "latency, which is compensated.",
             {}}),
        keyHighPassParameter(),
        keyLowPassParameter(),
        keyListenParameter(),
        structuralParameter({"key-source",
                             "Key source",
                             Unit::none,
                             0.0,
                             1.0,
                             0.0,
                             Scale::choice,
                             "What opens the gate: a level, or this drum's strokes as they were "
                             "found. Strokes lose no "
                             "ghost "
                             "note and let no neighbour open it.",
                             {"level", "strokes"}}),
        structuralParameter(
            {"stroke-early",
             "Opens early",
             Unit::milliseconds,
             0.0,
             20.0,
             5.0,
             Scale::linear,
             "With strokes as key: open this much before the stroke. Costs no latency.",
             {}}),
        {"stroke-length",
         "Stroke length",
         Unit::milliseconds,
         20.0,
         4000.0,
         200.0,
         Scale::logarithmic,
         "With strokes as key: stay open this long after the stroke, then release. The drum's "
         "measured "
         "decay is a good start.",
         {}},
        structuralParameter({"ghost-lift",
                             "Ghost lift",
                             Unit::dB,
                             0.0,
                             12.0,
                             0.0,
                             Scale::linear,
                             "Raises the ghost notes among this drum’s strokes, from the moment it "
                             "opens early until "
                             "the next stroke: gating makes them seem softer than they were.",
                             {}}),
        trimParameter(),
    };
    return table;
}

}  // namespace

ProcessorType gateType() {
    return {
        "gate",
        "Gate",
        Column::gate,
        true,
        "Separates the drum from its neighbours before anything lifts the bleed.",
        "Raised-cosine opening; hysteresis and hold after common practice. Own design.",
        gateTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Gate>(spec, values);
        }};
}

Gate::Gate(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    keyFilter_.prepare(spec);
    delay_.prepare(
        spec.channels,
        static_cast<int>(std::lround(framesFromMs(values_[lookAhead], spec.sampleRate))));
    floor_.prepare(spec.sampleRate);
    listen_.prepare(spec.sampleRate);
    trim_.prepare(spec.sampleRate);
    top_.prepare(spec.sampleRate, 1.0);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Gate::reset();
}

void Gate::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case floor:
            floor_.aim(value <= gateTable()[floor].minimum ? 0.0 : gainFromDb(value));
            break;
        case keyListen:
            listen_.set(value >= 0.5);
            break;
        case output:
            trim_.set(value);
            break;
        case keyHighPass:
        case keyLowPass:
            keyFilter_.set(values_[keyHighPass], values_[keyLowPass]);
            break;
        default:
            break;
    }
}

void Gate::reset() {
    keyFilter_.reset();
    delay_.reset();
    floor_.jump(floor_.target());
    listen_.reset();
    trim_.reset();
    top_.jump(1.0);
    open_ = false;
    position_ = 0.0;
    holdLeft_ = 0;
    strikes_ = {};
}

int Gate::strokeLead() const {
    return static_cast<int>(std::lround(framesFromMs(values_[strokeEarly], spec_.sampleRate)));
}

// A stroke, which opens the gate for `stays` frames from when it is told early.
void Gate::hear(const BlockEvent& event, int stays) {
    if (event.anew) {
        // What is open stays so until the other place comes out.
        if (byStrokes())
            holdLeft_ =
                std::min(holdLeft_, std::max(0, strokeLead() - static_cast<int>(event.age)));
        return;
    }
    top_.aim(event.event.kind == StrokeKind::ghost ? gainFromDb(values_[ghostLift]) : 1.0);
    const Frames left = stays - event.age;
    if (!byStrokes() || left <= 0) return;
    open_ = true;
    holdLeft_ = std::max(holdLeft_, static_cast<int>(left));
}

void Gate::process(const AudioBlock& io, const AudioBlock& key) {
    const AudioBlock heard = keyFilter_.process(key);
    const auto openAt = static_cast<float>(gainFromDb(values_[threshold]));
    const auto closeAt = static_cast<float>(gainFromDb(values_[threshold] - values_[hysteresis]));
    const double up = 1.0 / std::max(1.0, framesFromMs(values_[attack], spec_.sampleRate));
    const double down = 1.0 / std::max(1.0, framesFromMs(values_[release], spec_.sampleRate));
    const bool strokes = byStrokes();
    const int holdFrames = static_cast<int>(std::lround(
        strokes ? framesFromMs(values_[strokeLength] + values_[strokeEarly], spec_.sampleRate)
                : framesFromMs(values_[hold], spec_.sampleRate)));
    std::size_t nextStrike = 0;

    listen_.take(heard, io.channels);
    float keyPeak = 0.0F, least = 1.0F;
    for (int i = 0; i < io.frames; ++i) {
        float level = std::abs(heard.channel[0][i]);
        if (heard.channels == 2) level = std::max(level, std::abs(heard.channel[1][i]));
        keyPeak = std::max(keyPeak, level);
        for (; nextStrike < strikes_.size() && strikes_[nextStrike].frame <= i; ++nextStrike)
            hear(strikes_[nextStrike], holdFrames);
        if (!strokes) open_ = open_ || level >= openAt;
        if (open_) {
            if (!strokes && level >= closeAt) {
                holdLeft_ = holdFrames;
            } else if (strokes ? holdLeft_-- <= 0 : --holdLeft_ <= 0) {
                open_ = false;
            }
        }
        position_ = open_ ? std::min(1.0, position_ + up) : std::max(0.0, position_ - down);
        const double bottom = floor_.next(), top = top_.next();
        double gain = bottom;
        if (position_ >= 1.0) {
            gain = top;
        } else if (position_ > 0.0) {
            gain = bottom + (top - bottom) * 0.5 * (1.0 - std::cos(std::numbers::pi * position_));
        }
        gains_[i] = static_cast<float>(gain);
        least = std::min(least, gains_[i]);
    }
    strikes_ = {};
    reading_ = {keyPeak, static_cast<float>(dbFromGain(least))};
    apply(io, gains_);
    listen_.play(io);
}

void Gate::apply(const AudioBlock& io, const float* gains) {
    delay_.process(io);
    for (int c = 0; c < io.channels; ++c) {
        for (int i = 0; i < io.frames; ++i) io.channel[c][i] *= gains[i];
    }
    trim_.apply(io);
}

void Gate::replay(const AudioBlock& io, const Processor& master) {
    apply(io, static_cast<const Gate&>(master).gains_);
}

}  // namespace ember
