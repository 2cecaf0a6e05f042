// The equaliser's bands as values: their table, their sections, their curve.

#include "core/base/number.h"
#include "core/base/units.h"
#include "core/dsp/equaliser.h"

#include <algorithm>
#include <array>
#include <cmath>

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
                                                  {EqShape::lowPass, 16000.0},
                                                  {EqShape::bell, 60.0},
                                                  {EqShape::bell, 120.0},
                                                  {EqShape::bell, 300.0},
                                                  {EqShape::bell, 600.0},
                                                  {EqShape::bell, 1500.0},
                                                  {EqShape::bell, 2500.0},
                                                  {EqShape::bell, 5000.0},
                                                  {EqShape::bell, 10000.0}}};
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
    std::vector<std::string> ears{"off"};
    for (int b = 1; b <= kEqBands; ++b) ears.push_back(std::to_string(b));
    table.push_back({"listen", "Listen to band", Unit::none, 0.0, static_cast<double>(kEqBands),
                     0.0, Scale::choice,
                     "Plays only what one band works on, as it comes in: a pass filter's is what "
                     "it removes.",
                     std::move(ears)});
    table.push_back(trimParameter());
    return table;
}

const std::vector<Parameter>& equaliserTable() {
    static const std::vector<Parameter> table = makeTable();
    return table;
}

}  // namespace

int eqDesign(const EqBand& band, double sampleRate, Biquad* out) {
    int count = 0;
    if (!band.on) return count;
    for (const AnalogueSection& section : eqSections(band))
        out[count++] = design(section, sampleRate);
    return count;
}

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

bool eqBandInUse(std::span<const double> values, int band) {
    const std::vector<Parameter>& table = equaliserTable();
    const auto from = static_cast<std::size_t>(eqIndex(band, EqField::on));
    for (std::size_t i = from; i < from + kEqFields; ++i) {
        if (values[i] != table[i].standard) return true;
    }
    return false;
}

int freeEqBand(std::span<const double> values) {
    for (const int b : {2, 3, 4, 5, 8, 9, 10, 11, 12, 13, 14, 15, 1, 6, 0, 7}) {
        if (!eqBandInUse(values, b)) return b;
    }
    return -1;
}

std::string eqBandLabel(const EqBand& band, double note, std::span<const double> rings) {
    const double f = band.frequency;
    const auto near = [&](double hertz, double share) {
        return hertz > 0.0 && std::abs(f - hertz) < share * hertz;
    };
    const auto at = [](const char* word, double hertz) {
        const double rounded = std::round(hertz);
        return std::string(word) + " " +
               (rounded >= 1000.0 ? numberText(rounded / 1000.0, 1) + "k" : numberText(rounded, 0));
    };
    switch (band.shape) {
        case EqShape::highPass:
            return f < 60.0 ? "rumble" : "below the drum";
        case EqShape::lowPass:
            return "above the drum";
        case EqShape::lowShelf:
            return f < 150.0 ? "low end" : "lows";
        case EqShape::highShelf:
            return f >= 6000.0 ? "air" : "highs";
        case EqShape::tilt:
            return "tilt";
        case EqShape::weight:
            return "weight";
        case EqShape::bell:
        case EqShape::notch:
            break;
    }
    for (const double ring : rings) {
        if (near(ring, 0.03)) return at("ring", ring);
    }
    if (near(note, 0.05)) return at("note", note);
    if (band.shape == EqShape::notch) return at("point", f);
    // Where in the range of hearing a drum's parts lie.
    struct Region {
        double below;
        const char* word;
    };
    constexpr std::array<Region, 8> regions{{{60.0, "sub"},
                                             {120.0, "low end"},
                                             {250.0, "body"},
                                             {700.0, "boxiness"},
                                             {1600.0, "knock"},
                                             {3000.0, "presence"},
                                             {6000.0, "snap"},
                                             {10000.0, "brightness"}}};
    for (const Region& region : regions) {
        if (f < region.below) return region.word;
    }
    return "air";
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
        const int count = eqDesign(eqHeardBand(values, b), sampleRate, sections.data());
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
        "Up to sixteen bands that remove what harms and lift what serves; the curve is the "
        "analogue one up "
        "to the top octave.",
        "Matched second-order sections after Vicanek, Matched Second Order Digital Filters, 2016; "
        "moving bands after Zavalishin, The Art of VA Filter Design, 2018.",
        equaliserTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Equaliser>(spec, values);
        }};
}

}  // namespace ember
