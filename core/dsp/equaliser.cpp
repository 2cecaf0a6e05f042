#include "core/dsp/equaliser.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kHighestWeight = 2000.0;  // Hz

std::vector<Parameter> makeTable() {
    struct Start {
        EqShape shape;
        double frequency;
    };
    constexpr std::array<Start, kEqBands> starts{{{EqShape::highPass, 40.0},
                                                  {EqShape::lowShelf, 90.0},
                                                  {EqShape::bell, 200.0},
                                                  {EqShape::bell, 400.0},
                                                  {EqShape::bell, 1000.0},
                                                  {EqShape::bell, 3500.0},
                                                  {EqShape::highShelf, 8000.0},
                                                  {EqShape::lowPass, 16000.0}}};
    const std::vector<std::string> shapes{"bell",     "low-shelf", "high-shelf", "high-pass",
                                          "low-pass", "notch",     "tilt",       "weight"};
    const std::vector<std::string> parts{"both", "left", "right", "middle", "sides"};
    const std::vector<std::string> slopes{"6", "12", "18", "24", "30", "36", "42", "48"};
    std::vector<Parameter> table;
    for (int b = 0; b < kEqBands; ++b) {
        const std::string id = "b" + std::to_string(b + 1) + ".",
                          label = "Band " + std::to_string(b + 1) + " ";
        const Start& start = starts[static_cast<std::size_t>(b)];
        table.push_back({id + "on",
                         label + "on",
                         Unit::none,
                         0.0,
                         1.0,
                         0.0,
                         Scale::toggle,
                         "Whether the band is heard.",
                         {}});
        table.push_back({id + "shape", label + "shape", Unit::none, 0.0, 7.0,
                         static_cast<double>(start.shape), Scale::choice,
                         "Bell for one place, shelf for one side, pass to remove a side, notch to "
                         "remove a point, tilt to lean the whole, weight (up to 2 kHz) to lift the "
                         "lows while the low mids give way.",
                         shapes});
        table.push_back(
            {id + "frequency",
             label + "frequency",
             Unit::hertz,
             16.0,
             20000.0,
             start.frequency,
             Scale::logarithmic,
             "Centre of a bell or notch, middle of a shelf or tilt, 3 dB corner of a pass filter.",
             {}});
        table.push_back({id + "gain",
                         label + "gain",
                         Unit::dB,
                         -24.0,
                         24.0,
                         0.0,
                         Scale::linear,
                         "Boost or cut of a bell, shelf or tilt.",
                         {}});
        table.push_back({id + "q",
                         label + "Q",
                         Unit::none,
                         0.1,
                         16.0,
                         0.7071,
                         Scale::logarithmic,
                         "Narrowness: centre frequency by bandwidth. Raises the corner of a pass "
                         "filter (up to 3), steepens a shelf (up to 2).",
                         {}});
        table.push_back({id + "slope", label + "slope", Unit::none, 0.0, 7.0, 1.0, Scale::choice,
                         "Steepness of a pass filter in dB per octave.", slopes});
        table.push_back({id + "part", label + "part", Unit::none, 0.0, 4.0, 0.0, Scale::choice,
                         "What of a stereo row the band works on. A mono row has no such choice.",
                         parts});
        table.push_back({id + "range",
                         label + "range",
                         Unit::dB,
                         -24.0,
                         24.0,
                         0.0,
                         Scale::linear,
                         "How far a bell or shelf moves from its gain while the band is louder "
                         "than its threshold, down or up; 0: it stays.",
                         {}});
        table.push_back({id + "threshold",
                         label + "threshold",
                         Unit::dB,
                         -80.0,
                         0.0,
                         -30.0,
                         Scale::linear,
                         "Level in the band above which it moves, half a dB for each dB.",
                         {}});
        table.push_back({id + "attack",
                         label + "attack",
                         Unit::milliseconds,
                         0.1,
                         200.0,
                         5.0,
                         Scale::logarithmic,
                         "Time to 63 % of the move when the band gets loud.",
                         {}});
        table.push_back({id + "release",
                         label + "release",
                         Unit::milliseconds,
                         5.0,
                         2000.0,
                         80.0,
                         Scale::logarithmic,
                         "Time to give back 63 %.",
                         {}});
    }
    table.push_back({"amount",
                     "Amount",
                     Unit::percent,
                     0.0,
                     150.0,
                     100.0,
                     Scale::linear,
                     "Scales every boost and cut together: repair fully, then go back to what is "
                     "needed. Pass filters and notches stay.",
                     {}});
    table.push_back({"listen",
                     "Listen to band",
                     Unit::none,
                     0.0,
                     static_cast<double>(kEqBands),
                     0.0,
                     Scale::choice,
                     "Plays only what one band works on, as it comes in: a pass filter's is what "
                     "it removes.",
                     {"off", "1", "2", "3", "4", "5", "6", "7", "8"}});
    return table;
}

const std::vector<Parameter>& equaliserTable() {
    static const std::vector<Parameter> table = makeTable();
    return table;
}

// The band's digital sections, written to `out`; returns how many.
int designBand(const EqBand& band, double sampleRate, Biquad* out) {
    int count = 0;
    if (!band.on) return count;
    for (const AnalogueSection& section : eqSections(band))
        out[count++] = design(section, sampleRate);
    return count;
}

}  // namespace

EqBand eqBand(std::span<const double> values, int band) {
    const auto at = [&](EqField field) {
        return values[static_cast<std::size_t>(eqIndex(band, field))];
    };
    return {at(EqField::on) >= 0.5,
            static_cast<EqShape>(std::lround(at(EqField::shape))),
            at(EqField::frequency),
            at(EqField::gain),
            at(EqField::q),
            static_cast<int>(std::lround(at(EqField::slope))) + 1,
            static_cast<EqPart>(std::lround(at(EqField::part)))};
}

EqBand eqHeardBand(std::span<const double> values, int band) {
    EqBand heard = eqBand(values, band);
    heard.gainDb *= values[kEqAmount] / 100.0;
    return heard;
}

DynamicBandSettings eqDynamics(std::span<const double> values, int band) {
    const auto at = [&](EqField field) {
        return values[static_cast<std::size_t>(eqIndex(band, field))];
    };
    const EqBand b = eqBand(values, band);
    const bool moves = b.on && (b.shape == EqShape::bell || b.shape == EqShape::lowShelf ||
                                b.shape == EqShape::highShelf);
    const double range = moves ? at(EqField::range) * values[kEqAmount] / 100.0 : 0.0;
    return {b.shape,
            b.frequency,
            b.q,
            range,
            at(EqField::threshold),
            at(EqField::attack),
            at(EqField::release),
            b.part};
}

AnalogueSections eqSections(const EqBand& band) {
    double q = band.q;
    if (band.shape == EqShape::lowShelf || band.shape == EqShape::highShelf ||
        band.shape == EqShape::weight)
        q = std::min(q, 2.0);
    if (band.shape == EqShape::highPass || band.shape == EqShape::lowPass) q = std::min(q, 3.0);
    // The dip of a weight lies two octaves up, and must stay where it can be made.
    const double frequency =
        band.shape == EqShape::weight ? std::min(band.frequency, kHighestWeight) : band.frequency;
    return analogueSections(band.shape, frequency, band.gainDb, q, band.order);
}

std::vector<double> eqResponseDb(std::span<const double> values,
                                 std::span<const double> frequencies, double sampleRate,
                                 EqMoved moved) {
    std::vector<double> out(frequencies.size(), 0.0);
    std::array<Biquad, 8> sections;
    for (int b = 0; b < kEqBands; ++b) {
        const int count = designBand(eqHeardBand(values, b), sampleRate, sections.data());
        for (int s = 0; s < count; ++s) {
            for (std::size_t i = 0; i < out.size(); ++i) {
                out[i] += dbFromGain(std::abs(
                    response(sections[static_cast<std::size_t>(s)], frequencies[i], sampleRate)));
            }
        }
        const DynamicBandSettings dynamics = eqDynamics(values, b);
        if (moved == EqMoved::rest || dynamics.rangeDb == 0.0) continue;
        for (std::size_t i = 0; i < out.size(); ++i)
            out[i] += dynamicBandResponse(dynamics, dynamics.rangeDb, frequencies[i], sampleRate);
    }
    return out;
}

double eqResponseDb(std::span<const double> values, double frequency, double sampleRate) {
    return eqResponseDb(values, std::span(&frequency, 1), sampleRate)[0];
}

ProcessorType equaliserType() {
    return {
        "eq",
        "EQ",
        Column::repair,
        true,
        "Eight bands that remove what harms and lift what serves; the curve is the analogue one up "
        "to the top octave.",
        "Matched second-order sections after Vicanek, Matched Second Order Digital Filters, 2016; "
        "moving bands after Zavalishin, The Art of VA Filter Design, 2018.",
        equaliserTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Equaliser>(spec, values);
        }};
}

Equaliser::Equaliser(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    fadeFrames_ = std::max(1, static_cast<int>(std::lround(0.0213 * spec.sampleRate)));
    for (int i = 0; i < fadeFrames_; ++i) {
        fade_.push_back(
            static_cast<float>(0.5 - 0.5 * std::cos(std::numbers::pi * (i + 1) / fadeFrames_)));
    }
    for (DynamicBand& band : moving_) band.prepare(spec.sampleRate);
    ear_.glide.prepare(spec.sampleRate);
    ear_.share.prepare(spec.sampleRate);
    for (int b = 0; b < kEqBands; ++b)
        moving_[static_cast<std::size_t>(b)].set(eqDynamics(values_, b));
    aimEar();
    Equaliser::reset();
}

void Equaliser::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    if (index == kEqListen) return aimEar();
    pending_ = true;
    const int band = index / kEqFields;
    for (int b = 0; b < kEqBands; ++b) {
        if (b == band || index == kEqAmount)
            moving_[static_cast<std::size_t>(b)].set(eqDynamics(values_, b));
    }
    aimEar();
}

void Equaliser::reset() {
    fadeAt_ = -1;
    pending_ = false;
    for (auto& setting : settings_) {
        build(setting);
        for (auto& cascade : setting.cascade) cascade.reset();
    }
    for (DynamicBand& band : moving_) band.reset();
    ear_.glide.arrive();
    ear_.share.jump(ear_.share.target());
    for (StateVariable& filter : ear_.filter) filter = {};
}

bool Equaliser::reaches(EqPart part, std::size_t lane) const {
    if (spec_.channels == 1) return lane == left;
    switch (part) {
        case EqPart::both:
            return lane == left || lane == right;
        case EqPart::left:
            return lane == left;
        case EqPart::right:
            return lane == right;
        case EqPart::middle:
            return lane == middle;
        case EqPart::sides:
            return lane == sides;
    }
    return false;
}

void Equaliser::build(Setting& setting) const {
    std::array<Biquad, Cascade::kMaxSections> sections;
    std::array<std::array<Biquad, Cascade::kMaxSections>, kLanes> lanes;
    std::array<int, kLanes> total{};
    for (int b = 0; b < kEqBands; ++b) {
        const auto band = static_cast<std::size_t>(b);
        setting.bands[band] = eqHeardBand(values_, b);
        const int count = designBand(setting.bands[band], spec_.sampleRate, sections.data());
        for (std::size_t lane = 0; lane < kLanes; ++lane) {
            const int used = reaches(setting.bands[band].part, lane) ? count : 0;
            setting.first[lane][band] = total[lane];
            setting.count[lane][band] = used;
            std::copy_n(sections.begin(), used, lanes[lane].begin() + total[lane]);
            total[lane] += used;
        }
    }
    for (std::size_t lane = 0; lane < kLanes; ++lane)
        setting.cascade[lane].setSections(
            {lanes[lane].data(), static_cast<std::size_t>(total[lane])});
}

// Gives every section of `to` the signals that passed the same place in `from`.
void Equaliser::inherit(Setting& to, const Setting& from, std::size_t lane) {
    Cascade& target = to.cascade[lane];
    const Cascade& source = from.cascade[lane];
    const auto &toCount = to.count[lane], &toFirst = to.first[lane], &fromCount = from.count[lane],
               &fromFirst = from.first[lane];
    // The signal where the next band begins: the output of the last section so far.
    Cascade::History signal = source.history(0);
    signal = {signal.x1, signal.x2, signal.x1, signal.x2};
    const int padded = (target.size() + Cascade::kLanes - 1) / Cascade::kLanes * Cascade::kLanes;
    for (std::size_t b = 0; b < kEqBands; ++b) {
        for (int s = 0; s < toCount[b]; ++s) {
            target.setHistory(toFirst[b] + s, toCount[b] == fromCount[b]
                                                  ? source.history(fromFirst[b] + s)
                                                  : signal);
        }
        if (fromCount[b] > 0) {
            const Cascade::History last = source.history(fromFirst[b] + fromCount[b] - 1);
            signal = {last.y1, last.y2, last.y1, last.y2};
        }
    }
    for (int s = target.size(); s < padded; ++s) target.setHistory(s, signal);
}

void Equaliser::startFade() {
    Setting& next = settings_[1 - current_];
    build(next);
    pending_ = false;
    if (next.bands == settings_[current_].bands) return;
    for (std::size_t lane = 0; lane < kLanes; ++lane) inherit(next, settings_[current_], lane);
    fadeAt_ = 0;
}

// The bands that stay, and between two settings the way from one to the other.
void Equaliser::filterLane(std::size_t lane, float* samples, int frames) {
    if (fadeAt_ < 0) return settings_[current_].cascade[lane].process(samples, frames);
    float faded[kBlock];
    std::copy_n(samples, frames, faded);
    settings_[current_].cascade[lane].process(samples, frames);
    settings_[1 - current_].cascade[lane].process(faded, frames);
    for (int i = 0; i < frames; ++i) {
        const float weight =
            fade_[static_cast<std::size_t>(std::min(fadeAt_ + i, fadeFrames_ - 1))];
        samples[i] += weight * (faded[i] - samples[i]);
    }
}

// The bands that move.
void Equaliser::moveLane(std::size_t lane, float* samples, int channel, int frames) {
    for (DynamicBand& band : moving_) {
        if (reaches(band.part(), lane)) band.apply(samples, channel, frames);
    }
}

void Equaliser::filter(const AudioBlock& io) {
    for (int c = 0; c < io.channels; ++c) {
        const auto lane = static_cast<std::size_t>(c);
        filterLane(lane, io.channel[c], io.frames);
        moveLane(lane, io.channel[c], c, io.frames);
    }
    const auto halves = [](EqPart part) { return part == EqPart::middle || part == EqPart::sides; };
    const auto any = [&](const Setting& s) {
        return std::any_of(s.bands.begin(), s.bands.end(),
                           [&](const EqBand& b) { return b.on && halves(b.part); });
    };
    const bool moving = std::any_of(moving_.begin(), moving_.end(), [&](const DynamicBand& b) {
        return !b.idle() && halves(b.part());
    });
    if (io.channels == 2 &&
        (moving || any(settings_[current_]) || (fadeAt_ >= 0 && any(settings_[1 - current_])))) {
        float half[2][kBlock];
        for (int i = 0; i < io.frames; ++i) {
            half[0][i] = 0.5F * (io.channel[0][i] + io.channel[1][i]);
            half[1][i] = 0.5F * (io.channel[0][i] - io.channel[1][i]);
        }
        for (int c = 0; c < 2; ++c) {
            const auto lane = static_cast<std::size_t>(middle + c);
            filterLane(lane, half[c], io.frames);
            moveLane(lane, half[c], c, io.frames);
        }
        for (int i = 0; i < io.frames; ++i) {
            io.channel[0][i] = half[0][i] + half[1][i];
            io.channel[1][i] = half[0][i] - half[1][i];
        }
    }
    if (fadeAt_ < 0) return;
    fadeAt_ += io.frames;
    if (fadeAt_ >= fadeFrames_) {
        current_ = 1 - current_;
        fadeAt_ = -1;
    }
}

// Each moving band hears the part of the key that it works on.
void Equaliser::follow(const AudioBlock& key) {
    float half[2][kBlock];
    bool halved = false;
    for (DynamicBand& band : moving_) {
        const EqPart part = band.part();
        const float* heard[2] = {key.channel[0], key.channel[1]};
        int channels = key.channels;
        if (channels == 2 && part != EqPart::both) {
            channels = 1;
            if (part == EqPart::right) heard[0] = key.channel[1];
            if (part == EqPart::middle || part == EqPart::sides) {
                for (int i = 0; i < key.frames && !halved; ++i) {
                    half[0][i] = 0.5F * (key.channel[0][i] + key.channel[1][i]);
                    half[1][i] = 0.5F * (key.channel[0][i] - key.channel[1][i]);
                }
                halved = true;
                heard[0] = half[part == EqPart::middle ? 0 : 1];
            }
        }
        band.follow(heard, channels, key.frames);
    }
}

void Equaliser::aimEar() {
    const int band = static_cast<int>(std::lround(values_[kEqListen])) - 1;
    ear_.share.aim(band < 0 ? 0.0 : 1.0);
    if (band < 0) return;
    const EqBand b = eqBand(values_, band);
    ear_.shape = b.shape;
    ear_.glide.aim(b.frequency, b.shape == EqShape::bell || b.shape == EqShape::notch
                                    ? b.q
                                    : 1.0 / std::numbers::sqrt2);
}

void Equaliser::listen(const AudioBlock& io, const float (&dry)[2][kBlock]) {
    ear_.glide.advance(io.frames);
    for (int i = 0; i < io.frames; ++i) {
        const double share = ear_.share.next(), g = ear_.glide.g[i], k = ear_.glide.k[i];
        for (int c = 0; c < io.channels; ++c) {
            const double x = dry[c][i];
            const auto [low, band, high] = ear_.filter[c].next(x, g, k);
            double heard = x;
            switch (ear_.shape) {
                case EqShape::bell:
                case EqShape::notch:
                    heard = k * band;
                    break;
                case EqShape::lowShelf:
                case EqShape::weight:
                case EqShape::highPass:
                    heard = low;
                    break;
                case EqShape::highShelf:
                case EqShape::lowPass:
                    heard = high;
                    break;
                case EqShape::tilt:
                    break;
            }
            const double y = io.channel[c][i];
            io.channel[c][i] = static_cast<float>(y + share * (heard - y));
        }
    }
}

void Equaliser::process(const AudioBlock& io, const AudioBlock& key) {
    if (pending_ && fadeAt_ < 0) startFade();
    follow(key);
    double most = 0.0;
    for (const DynamicBand& band : moving_) {
        if (std::abs(band.gainDb()) > std::abs(most)) most = band.gainDb();
    }
    reading_ = {0.0F, static_cast<float>(most)};
    const bool listening = ear_.share.moving() || ear_.share.value() > 0.0;
    if (!listening) return filter(io);
    float dry[2][kBlock];
    for (int c = 0; c < io.channels; ++c) std::copy_n(io.channel[c], io.frames, dry[c]);
    filter(io);
    listen(io, dry);
}

void Equaliser::replay(const AudioBlock& io, const Processor& master) {
    if (pending_ && fadeAt_ < 0) startFade();
    const auto& did = static_cast<const Equaliser&>(master);
    for (std::size_t b = 0; b < kEqBands; ++b) moving_[b].copy(did.moving_[b], io.frames);
    filter(io);
}

}  // namespace ember
