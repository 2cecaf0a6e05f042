#include "core/dsp/equaliser.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

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
                                          "low-pass", "notch",     "tilt"};
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
        table.push_back({id + "shape", label + "shape", Unit::none, 0.0, 6.0,
                         static_cast<double>(start.shape), Scale::choice,
                         "Bell for one place, shelf for one side, pass to remove a side, notch to "
                         "remove a point, tilt to lean the whole.",
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
    return {at(EqField::on) >= 0.5, static_cast<EqShape>(std::lround(at(EqField::shape))),
            at(EqField::frequency), at(EqField::gain),
            at(EqField::q),         static_cast<int>(std::lround(at(EqField::slope))) + 1};
}

EqBand eqHeardBand(std::span<const double> values, int band) {
    EqBand heard = eqBand(values, band);
    heard.gainDb *= values[kEqAmount] / 100.0;
    return heard;
}

AnalogueSections eqSections(const EqBand& band) {
    double q = band.q;
    if (band.shape == EqShape::lowShelf || band.shape == EqShape::highShelf) q = std::min(q, 2.0);
    if (band.shape == EqShape::highPass || band.shape == EqShape::lowPass) q = std::min(q, 3.0);
    return analogueSections(band.shape, band.frequency, band.gainDb, q, band.order);
}

std::vector<double> eqResponseDb(std::span<const double> values,
                                 std::span<const double> frequencies, double sampleRate) {
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
        false,
        "Eight bands that remove what harms and lift what serves; the curve is the analogue one up "
        "to the top octave.",
        "Matched second-order sections after Vicanek, Matched Second Order Digital Filters, 2016.",
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
    Equaliser::reset();
}

void Equaliser::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    pending_ = true;
}

void Equaliser::reset() {
    fadeAt_ = -1;
    pending_ = false;
    for (auto& setting : settings_) {
        build(setting);
        for (auto& cascade : setting.cascade) cascade.reset();
    }
}

void Equaliser::build(Setting& setting) const {
    std::array<Biquad, Cascade::kMaxSections> sections;
    int total = 0;
    for (int b = 0; b < kEqBands; ++b) {
        const auto band = static_cast<std::size_t>(b);
        setting.bands[band] = eqHeardBand(values_, b);
        setting.first[band] = total;
        setting.count[band] =
            designBand(setting.bands[band], spec_.sampleRate, sections.data() + total);
        total += setting.count[band];
    }
    for (auto& cascade : setting.cascade)
        cascade.setSections({sections.data(), static_cast<std::size_t>(total)});
}

// Gives every section of `to` the signals that passed the same place in `from`.
void Equaliser::inherit(Setting& to, const Setting& from, int channel) {
    const auto c = static_cast<std::size_t>(channel);
    Cascade& target = to.cascade[c];
    const Cascade& source = from.cascade[c];
    // The signal where the next band begins: the output of the last section so far.
    Cascade::History signal = source.history(0);
    signal = {signal.x1, signal.x2, signal.x1, signal.x2};
    const int padded = (target.size() + Cascade::kLanes - 1) / Cascade::kLanes * Cascade::kLanes;
    for (std::size_t b = 0; b < kEqBands; ++b) {
        for (int s = 0; s < to.count[b]; ++s) {
            target.setHistory(to.first[b] + s, to.count[b] == from.count[b]
                                                   ? source.history(from.first[b] + s)
                                                   : signal);
        }
        if (from.count[b] > 0) {
            const Cascade::History last = source.history(from.first[b] + from.count[b] - 1);
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
    for (int c = 0; c < spec_.channels; ++c) inherit(next, settings_[current_], c);
    fadeAt_ = 0;
}

void Equaliser::process(const AudioBlock& io, const AudioBlock& key) {
    (void)key;
    if (pending_ && fadeAt_ < 0) startFade();
    if (fadeAt_ < 0) {
        for (int c = 0; c < io.channels; ++c)
            settings_[current_].cascade[static_cast<std::size_t>(c)].process(io.channel[c],
                                                                             io.frames);
        return;
    }
    float faded[kBlock];
    for (int c = 0; c < io.channels; ++c) {
        std::copy_n(io.channel[c], io.frames, faded);
        settings_[current_].cascade[static_cast<std::size_t>(c)].process(io.channel[c], io.frames);
        settings_[1 - current_].cascade[static_cast<std::size_t>(c)].process(faded, io.frames);
        for (int i = 0; i < io.frames; ++i) {
            const float weight =
                fade_[static_cast<std::size_t>(std::min(fadeAt_ + i, fadeFrames_ - 1))];
            io.channel[c][i] += weight * (faded[i] - io.channel[c][i]);
        }
    }
    fadeAt_ += io.frames;
    if (fadeAt_ >= fadeFrames_) {
        current_ = 1 - current_;
        fadeAt_ = -1;
    }
}

}  // namespace ember
