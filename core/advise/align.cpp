#include "core/dsp/align.h"

#include "core/advise/common.h"
#include "core/base/number.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kMost = 25.0;  // ms; what is further away is another place, not an error
constexpr double kWorthSamples = 0.5;

double gainOf(const BandSum& band) {
    return band.alignedDb - band.nowDb;
}

// Moving two microphones of a drum together is worth it where their sum is heard to gain, and the
// octaves together gain more than they lose.
bool sumGains(const PhasePair& pair) {
    constexpr double kHeardDb = 0.5;
    double all = 0.0;
    for (const BandSum& band : pair.bands) all += gainOf(band);
    return all > 0.0 && std::any_of(pair.bands.begin(), pair.bands.end(),
                                    [](const BandSum& b) { return gainOf(b) >= kHeardDb; });
}

// What the octave that fares worst loses; empty where nobody would hear it.
std::string lossText(const PhasePair& pair) {
    constexpr double kToldDb = 1.0;
    const auto worst =
        std::min_element(pair.bands.begin(), pair.bands.end(),
                         [](const BandSum& a, const BandSum& b) { return gainOf(a) < gainOf(b); });
    if (worst == pair.bands.end() || gainOf(*worst) > -kToldDb) return {};
    return " Their sum loses " + numberText(-gainOf(*worst), 1) + " dB around " +
           numberText(worst->hertz, 0) + " Hz.";
}

const BandSum* bandAt(const PhasePair& pair, double hertz) {
    for (const BandSum& b : pair.bands) {
        if (b.hertz == hertz) return &b;
    }
    return nullptr;
}

Proposal propose(const PhasePair& pair, const Row& row, double delayMs, bool flip) {
    Proposal p;
    p.id = row.id + ".align";
    p.step = "align";
    p.row = row.id;
    p.stage = "align";
    p.drum = pair.drum;
    p.against = pair.mic == row.id ? pair.reference : pair.mic;
    p.mainHertz = pair.mainHertz;
    p.moves.push_back({"delay", std::clamp(delayMs, -30.0, 30.0)});
    p.moves.push_back({"polarity", flip ? 1.0 : 0.0});
    p.confidence = std::clamp(pair.coherence * std::min(1.0, pair.strokes / 8.0), 0.0, 1.0);
    if (const BandSum* band = bandAt(pair, pair.mainHertz))
        p.effects.push_back({EffectKind::sum,
                             "sum at " + numberText(pair.mainHertz, 0) + " Hz",
                             "dB",
                             band->nowDb,
                             band->alignedDb,
                             {}});
    return p;
}

// A pair whose sides push against each other was wired so: turned over, the right one helps.
constexpr double kOpposite = -0.3;
std::optional<Proposal> turnedSide(const KitMeasurement& m, const Row& row) {
    const auto level = std::find_if(m.levels.begin(), m.levels.end(),
                                    [&](const SignalLevels& l) { return l.row == row.id; });
    const Stage* align = findStage(row, "align");
    if (row.sources.size() != 2 || align == nullptr || level == m.levels.end() ||
        level->correlation > kOpposite || align->values[Align::rightPolarity] >= 0.5)
        return std::nullopt;
    Proposal p;
    p.id = row.id + ".sides";
    p.step = "align";
    p.row = row.id;
    p.stage = "align";
    p.title = "Right side turned over";
    p.school = "one polarity for both sides";
    p.reason = "Left and right of " + row.name + " are of opposite polarity (correlation " +
               numberText(level->correlation, 2) +
               "): what stands in the middle is lost in mono. One of the two was wired the other "
               "way.";
    p.moves = {{"right-polarity", 1.0}};
    p.effects.push_back({EffectKind::sides,
                         "correlation of left and right",
                         "",
                         level->correlation,
                         -level->correlation,
                         {}});
    p.confidence = std::min(1.0, -level->correlation + 0.3);
    return p;
}

}  // namespace

std::vector<Proposal> adviseAlign(const Session& session, const KitMeasurement& m,
                                  AlignSchool school) {
    std::vector<Proposal> out;
    const double perMs = session.sampleRate / 1000.0;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element || findStage(row, "align") == nullptr) continue;
        if (auto turned = turnedSide(m, row)) out.push_back(std::move(*turned));
        const std::string drum = drumOfRow(session, row.id);
        if (drum.empty()) continue;  // overheads and rooms stay where they are
        // The row against its drum's reference, and the reference against the overheads.
        const PhasePair* own = nullptr;
        const PhasePair* over = nullptr;
        for (const PhasePair& p : m.phase) {
            if (p.drum != drum) continue;
            if (p.mic == row.id) own = &p;
            const Row* heard = findRow(session, p.mic);
            if (heard != nullptr && heard->role == Role::overhead) over = &p;
        }
        if (own == nullptr) continue;
        const bool isReference = own->reference == row.id;
        // Nothing is moved by a delay that may be another one; a microphone whose delay is not sure
        // goes where its drum's reference goes.
        const bool toOverheads =
            school == AlignSchool::toOverheads && over != nullptr && over->delaySure;
        double delay = own->delaySure ? -own->delaySamples : 0.0;
        if (toOverheads) delay += over->delaySamples;
        const bool flip = own->polarity < 0;
        if (std::abs(delay / perMs) > kMost || (std::abs(delay) < kWorthSamples && !flip)) continue;
        if (school == AlignSchool::withinDrum && !flip && !sumGains(*own)) continue;
        const PhasePair& shown = isReference && over != nullptr ? *over : *own;
        Proposal p = propose(shown, row, delay / perMs, flip);
        if (!own->delaySure) p.effects.clear();  // they are told of a delay that is not taken
        p.evidence = evidenceOf(m, drum, false);
        p.title = std::string(delay < 0.0 ? "Earlier by " : "Later by ") +
                  numberText(std::abs(delay / perMs), 2) + " ms" +
                  (flip ? ", polarity turned" : "");
        const Row* reference = findRow(session, isReference ? shown.mic : own->reference);
        const std::string to = reference != nullptr ? reference->name : own->reference;
        if (toOverheads) {
            p.school = "everything to the overheads";
            p.reason = "The overheads hear the " + drumName(session, drum) + " " +
                       numberText(over->delaySamples / perMs, 2) +
                       " ms after its own microphone; later by that, both strike at once." +
                       (own->delaySure ? ""
                                       : " How much later than " + to + " " + row.name +
                                             " hears it is not sure, and kept.");
        } else {
            p.school = "only within a drum";
            p.reason =
                "On " + std::to_string(own->strokes) + " strokes " + row.name + " hears the " +
                drumName(session, drum) + " " + numberText(std::abs(own->delaySamples / perMs), 2) +
                " ms " + (own->delaySamples > 0.0 ? "after " : "before ") + to +
                (flip ? ", the other way up" : "") +
                (own->polarity == 0 ? "; polarity is not sure (coherence " +
                                          numberText(own->coherence, 2) + ") and left as it is"
                                    : "") +
                ".";
        }
        if (own->delaySure) p.reason += lossText(shown);
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace ember
