#include "core/dsp/delay.h"

#include "core/base/units.h"
#include "core/dsp/one_pole.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kLongestEcho = 2000.0;                       // ms
constexpr double kEchoLowest = 20.0, kEchoHighest = 20000.0;  // Hz: there the filters are off

const std::vector<Parameter>& delayTable() {
    static const std::vector<Parameter> table{
        {"left",
         "Left",
         Unit::milliseconds,
         1.0,
         kLongestEcho,
         250.0,
         Scale::logarithmic,
         "After which time the left side answers; of a mono row the only one. Takes note values.",
         {}},
        {"right",
         "Right",
         Unit::milliseconds,
         1.0,
         kLongestEcho,
         375.0,
         Scale::logarithmic,
         "After which time the right side answers. Takes note values.",
         {}},
        {"feedback",
         "Feedback",
         Unit::percent,
         0.0,
         95.0,
         30.0,
         Scale::linear,
         "How loud each answer comes back in: none is one echo, more is a row of them.",
         {}},
        {"cross",
         "Across",
         Unit::percent,
         0.0,
         100.0,
         0.0,
         Scale::linear,
         "Share of what is fed back that goes to the other side: at 100 % echoes go to and fro.",
         {}},
        {"low-cut",
         "Low cut",
         Unit::hertz,
         kEchoLowest,
         2000.0,
         150.0,
         Scale::logarithmic,
         "Takes lows from every answer, 6 dB an octave and time; at 20 Hz it is off.",
         {}},
        {"high-cut",
         "High cut",
         Unit::hertz,
         500.0,
         kEchoHighest,
         6000.0,
         Scale::logarithmic,
         "Takes highs from every answer, 6 dB an octave and time; at 20 kHz it is off.",
         {}},
        {"duck",
         "Gives way by",
         Unit::dB,
         0.0,
         30.0,
         0.0,
         Scale::linear,
         "How far the echoes step back while the drum itself sounds, so that they fill its gaps.",
         {}},
        {"mix",
         "Mix",
         Unit::percent,
         0.0,
         100.0,
         100.0,
         Scale::linear,
         "Share of the echoes. On a bus that rows are sent to: all of it.",
         {}},
    };
    return table;
}

}  // namespace

ProcessorType delayType() {
    return {
        "delay",
        "Delay",
        Column::colour,
        false,
        "Echoes to the left and right, in time with the song, that give way to the drum. On a bus "
        "that rows are sent to.",
        "One-pole filters after Zavalishin, The Art of VA Filter Design, 2012.",
        delayTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Delay>(spec, values);
        }};
}

Delay::Delay(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    const auto longest =
        static_cast<std::size_t>(std::ceil(framesFromMs(kLongestEcho, spec.sampleRate))) + 1;
    for (int c = 0; c < spec.channels; ++c)
        sides_[static_cast<std::size_t>(c)].ring.assign(longest, 0.0F);
    for (Smoother* s : {&feedback_, &cross_, &lowTo_, &highTo_, &mix_}) s->prepare(spec.sampleRate);
    give_.prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Delay::reset();
}

void Delay::aimTimes() {
    for (std::size_t c = 0; c < 2; ++c) {
        sides_[c].wanted = std::max(1, static_cast<int>(std::lround(framesFromMs(
                                           values_[c == 0 ? left : right], spec_.sampleRate))));
    }
}

void Delay::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case left:
        case right:
            aimTimes();
            break;
        case feedback:
            feedback_.aim(value / 100.0);
            break;
        case cross:
            cross_.aim(value / 100.0);
            break;
        case lowCut:
            lowTo_.aim(value <= kEchoLowest ? 0.0 : onePoleShare(value, spec_.sampleRate));
            break;
        case highCut:
            highTo_.aim(value >= kEchoHighest ? 1.0 : onePoleShare(value, spec_.sampleRate));
            break;
        case duck:
            give_.aim(value);
            break;
        case mix:
            mix_.aim(value / 100.0);
            break;
        default:
            break;
    }
}

void Delay::reset() {
    aimTimes();
    for (Side& side : sides_) {
        std::fill(side.ring.begin(), side.ring.end(), 0.0F);
        side.now = side.next = side.wanted;
        side.faded = kFade;
        side.low = side.high = 0.0F;
    }
    for (Smoother* s : {&feedback_, &cross_, &lowTo_, &highTo_, &mix_}) s->jump(s->target());
    give_.reset();
    at_ = 0;
}

float Delay::read(Side& side) {
    const auto back = [&](int frames) {
        const int length = static_cast<int>(side.ring.size());
        const int place = at_ - frames;
        return side.ring[static_cast<std::size_t>(place < 0 ? place + length : place)];
    };
    if (side.faded >= kFade && side.wanted != side.now) {
        side.next = side.wanted;
        side.faded = 0;
    }
    if (side.faded >= kFade) return back(side.now);
    const float part = static_cast<float>(++side.faded) / static_cast<float>(kFade),
                share = part * part * (3.0F - 2.0F * part);  // without a kink at either end
    const float heard = back(side.now) + share * (back(side.next) - back(side.now));
    if (side.faded == kFade) side.now = side.next;
    return heard;
}

void Delay::process(const AudioBlock& io, const AudioBlock& key) {
    (void)key;
    const auto channels = static_cast<std::size_t>(io.channels);
    for (int i = 0; i < io.frames; ++i) {
        float in[2] = {}, wet[2] = {};
        const auto lowTo = static_cast<float>(lowTo_.next()),
                   highTo = static_cast<float>(highTo_.next());
        float loudest = 0.0F;
        for (std::size_t c = 0; c < channels; ++c) {
            in[c] = io.channel[c][i];
            loudest = std::max(loudest, std::abs(in[c]));
            Side& side = sides_[c];
            float y = read(side);
            const float low = (y - side.low) * lowTo, under = low + side.low;
            // Off, it lets go of what it held.
            side.low = lowTo > 0.0F ? under + low : 0.999F * side.low;
            y -= under;
            if (highTo < 1.0F) {
                const float high = (y - side.high) * highTo, below = high + side.high;
                side.high = below + high;
                y = below;
            }
            wet[c] = y;
        }
        const auto back = static_cast<float>(feedback_.next()),
                   across = channels == 2 ? static_cast<float>(cross_.next()) : 0.0F;
        for (std::size_t c = 0; c < channels; ++c) {
            const float other = channels == 2 ? wet[1 - c] : 0.0F;
            sides_[c].ring[static_cast<std::size_t>(at_)] =
                in[c] + back * ((1.0F - across) * wet[c] + across * other);
        }
        at_ = at_ + 1 == static_cast<int>(sides_[0].ring.size()) ? 0 : at_ + 1;
        const float give = give_.next(loudest);
        const auto share = static_cast<float>(mix_.next());
        for (std::size_t c = 0; c < channels; ++c)
            io.channel[c][i] = in[c] + share * (give * wet[c] - in[c]);
    }
    reading_ = {0.0F, static_cast<float>(dbFromGain(static_cast<double>(give_.gain())))};
}

}  // namespace ember
