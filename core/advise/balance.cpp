// Broad moves on a drum's spectrum: low mids that stand out, the share of work between two
// microphones, and what cutting or bending took, given back in part.

#include "core/advise/common.h"
#include "core/advise/eq_fit.h"
#include "core/advise/foretell.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/dsp/equaliser.h"
#include "core/measure/strokes/typical.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace ember {
namespace {

constexpr double kLowMid[2] = {250.0, 600.0};  // Hz, where a kit gets thick
constexpr double kThickDb = 4.0;               // over the line between its neighbours: worth a cut
constexpr double kMostCutDb = 6.0;
constexpr double kBetterDb = 6.0;  // one microphone over the other: that is its region
constexpr double kTwinCutDb = -4.0;
constexpr double kHeavyDb = -2.0;  // lost at the drum's own note: worth giving back
constexpr double kMostBackDb = 3.0;

// Mean level of the third octaves in a range, dB.
double meanLevel(const Spectrum& s, double low, double high) {
    double sum = 0.0, n = 0.0;
    for (std::size_t i = 0; i < s.frequency.size(); ++i) {
        if (s.frequency[i] < low || s.frequency[i] > high) continue;
        sum += s.level[i];
        n += 1.0;
    }
    return n > 0.0 ? sum / n : kSilenceDb;
}

ParameterMove eqMove(int band, const char* what, double value) {
    std::string id = "b";
    id += std::to_string(band);
    id += ".";
    id += what;
    return {id, value};
}

// What moves on an untouched equaliser do to the energy between two frequencies, dB.
double movedDb(const Spectrum& spectrum, const std::vector<ParameterMove>& moves, double low,
               double high, double rate) {
    const std::vector<double> values = withMoves("eq", moves);
    return curveGainDb(spectrum, eqResponseDb(values, spectrum.frequency, rate), low, high);
}

Proposal onEqualiser(const Row& row, const char* what, const std::string& drum,
                     const KitMeasurement& m) {
    Proposal p;
    p.id = row.id + "." + what;
    p.step = "repair";
    p.row = row.id;
    p.stage = "eq";
    p.drum = drum;
    p.evidence = evidenceOf(m, drum, false);
    return p;
}

// How far the low mids stand over the line from what lies under them to what lies above, at most,
// and where.
std::pair<double, double> thickest(const Spectrum& s) {
    const double below = meanLevel(s, 100.0, 210.0), above = meanLevel(s, 900.0, 2100.0);
    double most = 0.0, at = 0.0;
    for (std::size_t i = 0; i < s.frequency.size(); ++i) {
        const double f = s.frequency[i];
        if (f < kLowMid[0] || f > kLowMid[1]) continue;
        const double along = std::log(f / 145.0) / std::log(1400.0 / 145.0);
        const double over = s.level[i] - (below + along * (above - below));
        if (over > most) {
            most = over;
            at = f;
        }
    }
    return {most, at};
}

// The same in what overheads and rooms hear of everything: there a kit gets thick first.
std::optional<Proposal> lowMidsOfAll(const Session& session, const KitMeasurement& m,
                                     const Row& row) {
    constexpr std::size_t kStrokes = 48;
    const auto levels = std::find_if(m.levels.begin(), m.levels.end(),
                                     [&](const SignalLevels& l) { return l.row == row.id; });
    if (levels == m.levels.end()) return std::nullopt;
    const auto [most, at] = thickest(levels->spectrum);
    if (most < kThickDb) return std::nullopt;
    Proposal p = onEqualiser(row, "low-mids", {}, m);
    const std::vector<Stroke>& strokes = m.strokes.strokes;
    const std::size_t step = std::max<std::size_t>(1, strokes.size() / kStrokes);
    p.evidence.clear();
    for (std::size_t i = 0; i < strokes.size(); i += step) p.evidence.push_back(strokes[i].time);
    const double cut = -std::round(std::clamp(most - 1.0, 1.5, kMostCutDb) * 2.0) / 2.0;
    p.moves = {eqMove(6, "on", 1.0), eqMove(6, "shape", 0.0),
               eqMove(6, "frequency", std::round(at)), eqMove(6, "gain", cut), eqMove(6, "q", 1.0)};
    p.title = "Low mids cleared";
    p.school = "room for the others";
    p.reason = "At " + hertzText(at) + " everything it hears stands " + numberText(most, 1) +
               " dB over what leads from the bodies to the attacks: distance and walls pile up "
               "there; a broad cut by " +
               numberText(-cut, 1) + " dB leaves that room to the close microphones.";
    p.effects.push_back(
        {EffectKind::band,
         "its low mids",
         "dB",
         0.0,
         movedDb(levels->spectrum, p.moves, kLowMid[0], kLowMid[1], session.sampleRate),
         {},
         kLowMid[0],
         kLowMid[1]});
    p.confidence = 0.4;
    return p;
}

// Where the low mids stand over the line from the note's surroundings to the attack, both read from
// the drum's own strokes; rings there are cut by themselves.
std::optional<Proposal> lowMids(const Session& session, const KitMeasurement& m, const Row& row,
                                const std::string& drum, const DrumTone& tone) {
    const Spectrum& s = tone.median;
    const auto [most, found] = thickest(s);
    const double at = found;
    const bool ring = std::any_of(tone.rings.begin(), tone.rings.end(), [&](const Ring& r) {
        return std::abs(std::log2(r.hertz / std::max(at, 1.0))) < 0.5;
    });
    const bool note = tone.fundamental > 0.0 && std::abs(std::log2(tone.fundamental / at)) < 0.6;
    if (most < kThickDb || ring || note) return std::nullopt;
    Proposal p = onEqualiser(row, "low-mids", drum, m);
    // A note close by is spared by a narrower cut.
    const bool near = tone.fundamental > 0.0 && std::abs(std::log2(tone.fundamental / at)) < 1.0;
    const double cut = -std::round(std::clamp(most - 1.0, 1.5, kMostCutDb) * 2.0) / 2.0;
    p.moves = {eqMove(6, "on", 1.0), eqMove(6, "shape", 0.0),
               eqMove(6, "frequency", std::round(at)), eqMove(6, "gain", cut),
               eqMove(6, "q", near ? 2.0 : 1.0)};
    p.title = "Low mids cleared";
    p.school = "room for the others";
    p.reason = "At " + hertzText(at) + " its strokes stand " + numberText(most, 1) +
               " dB over what leads from its body to its attack: a broad cut by " +
               numberText(-cut, 1) + " dB leaves that room to the rest of the kit.";
    p.effects.push_back({EffectKind::band,
                         "its low mids",
                         "dB",
                         0.0,
                         movedDb(s, p.moves, kLowMid[0], kLowMid[1], session.sampleRate),
                         {},
                         kLowMid[0],
                         kLowMid[1]});
    if (auto punch = punchEffect(tone, "eq", p.moves)) p.effects.push_back(*punch);
    p.confidence = 0.5;
    return p;
}

// Two microphones at one drum: each is lowered where the other one hears the drum clearly better.
// Spectra are shares of each one's energy, so that faders do not count.
std::optional<Proposal> twin(const Session& session, const KitMeasurement& m, const Row& row,
                             const Row& other, const std::string& drum) {
    const DrumTone *own = toneIn(m, row.id, drum), *beside = toneIn(m, other.id, drum);
    if (own == nullptr || beside == nullptr) return std::nullopt;
    const bool inside = row.role == Role::kickIn, outside = row.role == Role::kickOut,
               bottom = row.role == Role::snareBottom;
    if (!inside && !outside && !bottom) return std::nullopt;
    // From its end of the spectrum inwards, as far as the other one is better.
    const Spectrum &a = own->median, &b = beside->median;
    const bool fromTop = outside;
    double edge = 0.0, region[2] = {40.0, 12000.0};
    for (std::size_t n = 0; n < std::min(a.frequency.size(), b.frequency.size()); ++n) {
        const std::size_t i = fromTop ? a.frequency.size() - 1 - n : n;
        const double f = a.frequency[i];
        if (f < region[0] || f > region[1]) continue;
        if (b.level[i] - a.level[i] < kBetterDb) break;
        edge = f;
    }
    // Less than an octave of it is nobody's region.
    if (edge <= 0.0 || (fromTop ? edge > 6000.0 : edge < 80.0)) return std::nullopt;
    // Where the other one is much louder this one no longer smears anything.
    constexpr double kAloneDb = 14.0;
    const double low = fromTop ? edge : region[0], high = fromTop ? region[1] : edge;
    if (meanLevel(b, low, high) - meanLevel(a, low, high) > kAloneDb) return std::nullopt;
    const double corner = std::round(fromTop ? edge / 1.12 : edge * 1.12);
    (fromTop ? region[0] : region[1]) = corner;
    Proposal p = onEqualiser(row, "twin", drum, m);
    p.moves = {eqMove(7, "on", 1.0), eqMove(7, "shape", fromTop ? 2.0 : 1.0),
               eqMove(7, "frequency", corner), eqMove(7, "gain", kTwinCutDb)};
    p.title = inside    ? "Inside microphone for the click"
              : outside ? "Outside microphone for the boom"
                        : "Bottom microphone for the wires";
    p.school = "each what it hears better";
    p.reason = std::string(fromTop ? "Above " : "Below ") + hertzText(corner) + " " + other.name +
               " holds at least " + numberText(kBetterDb, 0) +
               " dB more of this drum: lowered here, the two stop smearing each other there.";
    p.effects.push_back({EffectKind::band,
                         "what " + other.name + " hears better",
                         "dB",
                         0.0,
                         movedDb(a, p.moves, region[0], region[1], session.sampleRate),
                         {},
                         region[0],
                         region[1]});
    p.confidence = 0.5;
    return p;
}

// A lift at the note after cuts that went there; the lift's own band does not count.
std::optional<Proposal> noteBack(const Session& session, const KitMeasurement& m, const Row& row,
                                 const std::string& drum, const DrumTone& tone) {
    const Stage& eq = *findStage(row, "eq");
    if (!eq.on || eq.mark != Mark::decided || tone.fundamental <= 0.0) return std::nullopt;
    const std::vector<double> cuts = withMoves("eq", eq.values, {eqMove(8, "on", 0.0)});
    const std::vector<double> at{tone.fundamental};
    const double lost = eqResponseDb(cuts, at, session.sampleRate).front();
    if (lost > kHeavyDb) return std::nullopt;
    Proposal p = onEqualiser(row, "note-back", drum, m);
    const double lift = std::round(std::clamp(-0.6 * lost, 1.0, kMostBackDb) * 2.0) / 2.0;
    p.moves = {eqMove(8, "on", 1.0), eqMove(8, "shape", 0.0),
               eqMove(8, "frequency", std::round(tone.fundamental)), eqMove(8, "gain", lift),
               eqMove(8, "q", 1.0)};
    const double low = tone.fundamental / std::sqrt(2.0), high = tone.fundamental * std::sqrt(2.0);
    p.title = "Its note given back";
    p.school = "gently, after cutting";
    p.reason = "The curve so far takes " + numberText(-lost, 1) + " dB at the drum’s own " +
               hertzText(tone.fundamental) + ": " + numberText(lift, 1) +
               " dB there bring its weight back without what was cut around it.";
    const auto curve = [&](const std::vector<double>& values) {
        return curveGainDb(tone.median,
                           eqResponseDb(values, tone.median.frequency, session.sampleRate), low,
                           high);
    };
    p.effects.push_back({EffectKind::band,
                         "octave of its note",
                         "dB",
                         curve(cuts),
                         curve(withMoves("eq", cuts, p.moves)),
                         {},
                         low,
                         high});
    p.confidence = 0.4;
    return p;
}

// Treble after cuts that went there; the lift's own band does not count.
std::optional<Proposal> highsBack(const Session& session, const KitMeasurement& m, const Row& row,
                                  const std::string& drum, const DrumTone& tone) {
    constexpr double kFrom = 5000.0, kTo = 12000.0;
    const Stage& eq = *findStage(row, "eq");
    if (!eq.on || eq.mark != Mark::decided || tone.highestHertz < kFrom) return std::nullopt;
    const std::vector<double> cuts = withMoves("eq", eq.values, {eqMove(9, "on", 0.0)});
    const auto left = [&](const std::vector<double>& values) {
        return curveGainDb(tone.median,
                           eqResponseDb(values, tone.median.frequency, session.sampleRate), kFrom,
                           kTo);
    };
    const double lost = left(cuts);
    if (lost > kHeavyDb) return std::nullopt;
    Proposal p = onEqualiser(row, "highs-back", drum, m);
    const double lift = std::round(std::clamp(-0.6 * lost, 1.0, kMostBackDb) * 2.0) / 2.0;
    p.moves = {eqMove(9, "on", 1.0), eqMove(9, "shape", 2.0), eqMove(9, "frequency", 6000.0),
               eqMove(9, "gain", lift)};
    p.title = "Its treble given back";
    p.school = "gently, after cutting";
    p.reason = "The curve so far takes " + numberText(-lost, 1) +
               " dB of this drum from 5 to 12 kHz, where its attack lives: a shelf of " +
               numberText(lift, 1) + " dB brings part of it back.";
    p.effects.push_back({EffectKind::band,
                         "its treble",
                         "dB",
                         lost,
                         left(withMoves("eq", cuts, p.moves)),
                         {},
                         kFrom,
                         kTo});
    p.confidence = 0.4;
    return p;
}

// By how much a processor lowers the octave of the drum's note against everything, dB, on its most
// typical stroke.
double noteLostThrough(const DrumTone& tone, const Stage& stage) {
    const auto share = [&](std::span<const float> x) {
        SpectrumMeter meter(kTypicalRate);
        std::vector<float> padded(SpectrumMeter::kLength, 0.0F);
        std::copy_n(x.begin(), std::min(x.size(), padded.size() / 2),
                    padded.begin() + static_cast<std::ptrdiff_t>(padded.size() / 2));
        meter.add(padded);
        const double octave = std::sqrt(2.0);
        return 10.0 *
               std::log10(
                   (meter.power(tone.fundamental / octave, tone.fundamental * octave) + 1e-20) /
                   (meter.power(20.0, 11000.0) + 1e-20));
    };
    std::vector<float> x = tone.typical.front();
    x.resize((x.size() + kBlock - 1) / kBlock * kBlock);
    const double before = share(x);
    const auto processor = processorType(stage.type).make({kTypicalRate, 1}, stage.values);
    processor->reset();
    for (std::size_t at = 0; at < x.size(); at += kBlock) {
        const AudioBlock io{{x.data() + at, nullptr}, 1, kBlock};
        processor->process(io, io);
    }
    return share(x) - before;
}

// Lows after distortion: harmonics crowd the note out.
std::optional<Proposal> lowsBack(const Session& session, const KitMeasurement& m, const Row& row,
                                 const std::string& drum, const DrumTone& tone) {
    // A sine bent into a square keeps four fifths of its power: 0.9 dB are all there is to lose.
    constexpr double kCrowdedDb = -0.6;
    if (tone.typical.empty() || tone.fundamental <= 0.0) return std::nullopt;
    for (const Stage& s : row.chain) {
        const bool bends = s.type == "saturation" || s.type == "clipper" || s.type == "crusher";
        if (!s.on || s.mark != Mark::decided || !bends) continue;
        const double lost = noteLostThrough(tone, s);
        if (lost > kCrowdedDb) continue;
        // An equaliser of its own behind the distortion.
        const std::string id = "eq-2";
        const Stage* there = findStage(row, id);
        if (there != nullptr && there->mark == Mark::decided) return std::nullopt;
        Proposal p = onEqualiser(row, "lows-back", drum, m);
        p.stage = id;
        p.stageType = "eq";
        p.behind = s.id;
        const double lift = std::round(std::clamp(-lost, 1.0, kMostBackDb) * 2.0) / 2.0;
        p.moves = {eqMove(2, "on", 1.0), eqMove(2, "shape", 1.0),
                   eqMove(2, "frequency", std::round(1.6 * tone.fundamental)),
                   eqMove(2, "gain", lift)};
        p.title = "Its lows given back";
        p.school = "gently, after bending";
        p.reason = processorType(s.type).label + " adds harmonics until the octave of its " +
                   hertzText(tone.fundamental) + " note holds " + numberText(-lost, 1) +
                   " dB less of the whole: a shelf of " + numberText(lift, 1) +
                   " dB behind it brings the weight back.";
        const double low = tone.fundamental / std::sqrt(2.0),
                     high = tone.fundamental * std::sqrt(2.0);
        p.effects.push_back({EffectKind::band,
                             "octave of its note",
                             "dB",
                             lost,
                             lost + movedDb(tone.median, p.moves, low, high, session.sampleRate),
                             {},
                             low,
                             high});
        p.confidence = 0.4;
        return p;
    }
    return std::nullopt;
}

// What bends the wave takes the tip off every stroke; a little attack in front of the ear again.
std::optional<Proposal> attackBack(const KitMeasurement& m, const Row& row, const std::string& drum,
                                   const DrumTone& tone) {
    constexpr double kHardDrive = 9.0, kWetMix = 60.0, kMostLiftDb = 3.0, kPressedDb = -1.5;
    const auto bends = [&](const Stage& s) {
        if (!s.on || s.mark != Mark::decided || (s.type != "saturation" && s.type != "clipper"))
            return false;
        const ParameterTable table = processorType(s.type).table;
        const auto of = [&](const char* id) {
            return s.values[static_cast<std::size_t>(parameterIndex(table, id))];
        };
        return of("drive") >= kHardDrive && of("mix") >= kWetMix;
    };
    // What a compressor takes off the attack, dB; 0 where it is off.
    const auto pressed = [&](const Stage& s) {
        if (!s.on || s.mark != Mark::decided || s.type != "compressor") return 0.0;
        return changeThrough(tone, "compressor", s.values).transientToBodyDb;
    };
    const auto takes = [&](const Stage& s) { return bends(s) || pressed(s) <= kPressedDb; };
    const auto bent = std::find_if(row.chain.begin(), row.chain.end(), takes);
    const auto shaper = std::find_if(row.chain.begin(), row.chain.end(),
                                     [](const Stage& s) { return s.type == "transient"; });
    if (bent == row.chain.end()) return std::nullopt;
    Proposal p;
    p.id = row.id + ".attack-back";
    p.step = "colour";
    p.row = row.id;
    p.stageType = "transient";
    p.stage = shaper == row.chain.end() ? "transient" : shaper->id;
    p.behind = bent->id;
    p.drum = drum;
    p.evidence = evidenceOf(m, drum, true);
    const bool press = bent->type == "compressor";
    const double lift =
        press ? std::round(2.0 * std::min(kMostLiftDb, -pressed(*bent))) / 2.0 : kMostLiftDb;
    p.moves = {{"attack", lift}, {"sustain", 0.0}};
    p.title = "Its attack given back";
    p.school = press ? "gently, after pressing" : "gently, after bending";
    p.reason = processorType(bent->type).label +
               (press ? " takes " + numberText(-pressed(*bent), 1) +
                            " dB of attack against body: a shaper behind it lifts the first "
                            "moments of the strokes by up to "
                      : " is driven hard and takes the tips of the strokes: a shaper behind it "
                        "lifts their first moments by up to ") +
               numberText(lift, 1) + " dB, whatever their level.";
    if (auto punch = punchEffect(tone, "transient", p.moves)) p.effects.push_back(*punch);
    p.confidence = 0.4;
    if (shaper != row.chain.end() && wouldOverwrite(*shaper, p.moves)) return std::nullopt;
    return p;
}

}  // namespace

std::vector<Proposal> adviseBalance(const Session& session, const KitMeasurement& m) {
    std::vector<Proposal> out;
    const auto add = [&](const Row& row, std::optional<Proposal> p) {
        if (p && !wouldOverwrite(*findStage(row, "eq"), p->moves)) out.push_back(std::move(*p));
    };
    for (const Row& row : session.rows) {
        const std::string drum = drumOfRow(session, row.id);
        if (row.kind != RowKind::element || findStage(row, "eq") == nullptr) continue;
        if (!isUnsure(row) && (row.role == Role::overhead || row.role == Role::room))
            add(row, lowMidsOfAll(session, m, row));
        if (drum.empty()) continue;
        if (const DrumTone* tone = toneIn(m, row.id, drum); tone != nullptr && !isMetal(drum))
            add(row, lowMids(session, m, row, drum, *tone));
        for (const Row& other : session.rows) {
            if (other.id == row.id || drumOfRow(session, other.id) != drum) continue;
            add(row, twin(session, m, row, other, drum));
            break;
        }
    }
    return out;
}

std::vector<Proposal> adviseGiveBack(const Session& session, const KitMeasurement& m) {
    std::vector<Proposal> out;
    for (const Row& row : session.rows) {
        const std::string drum = drumOfRow(session, row.id);
        const DrumTone* tone = drum.empty() ? nullptr : toneIn(m, row.id, drum);
        if (row.kind != RowKind::element || tone == nullptr) continue;
        if (findStage(row, "eq") != nullptr) {
            if (auto p = noteBack(session, m, row, drum, *tone);
                p && !wouldOverwrite(*findStage(row, "eq"), p->moves))
                out.push_back(std::move(*p));
            if (auto p = highsBack(session, m, row, drum, *tone);
                p && !wouldOverwrite(*findStage(row, "eq"), p->moves))
                out.push_back(std::move(*p));
        }
        if (auto p = lowsBack(session, m, row, drum, *tone)) out.push_back(std::move(*p));
        if (auto p = attackBack(m, row, drum, *tone)) out.push_back(std::move(*p));
    }
    return out;
}

}  // namespace ember
