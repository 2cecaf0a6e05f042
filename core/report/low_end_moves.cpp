// What may be done where kick and bass meet, and what is to be said of it.

#include "core/advise/proposal.h"
#include "core/base/number.h"
#include "core/base/text.h"
#include "core/dsp/equaliser.h"
#include "core/dsp/pump.h"
#include "core/measure/kit/kit_mics.h"
#include "core/report/low_end.h"
#include "core/session/bell.h"
#include "core/session/graph.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cctype>
#include <cmath>

namespace ember {
namespace {

constexpr double kDuckDb = 6.0, kDuckHoldMs = 60.0, kDuckReturnMs = 150.0;
constexpr double kCutDb = -4.0, kCutQ = 1.4;

std::string rowName(const Session& session, const std::string& row) {
    const Row* r = findRow(session, row);
    return r != nullptr ? r->name : row;
}

// "5.4 dB under".
std::string overText(double db) {
    return numberText(std::abs(db), 1) + (db < 0.0 ? " dB under" : " dB over");
}

std::string octaveText(const LowOctave& octave) {
    return numberText(std::sqrt(octave.low * octave.high), 0) + " Hz";
}

}  // namespace

std::vector<std::string> lowKicks(const Session& session) {
    std::vector<std::string> out;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element) continue;
        const std::string drum = drumOfRow(session, row.id);
        if (!drum.empty() && drumFamily(drum) == DrumFamily::kick) out.push_back(row.id);
    }
    return out;
}

std::vector<std::string> lowBasses(const Session& session) {
    std::vector<std::string> basses, guests;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::guest) continue;
        guests.push_back(row.id);
        if (row.role == Role::bass) basses.push_back(row.id);
    }
    return basses.empty() ? guests : basses;
}

std::vector<LowMove> lowMovesFor(const Session& session, const LowEnd& found) {
    const auto loudest = [&](bool wanted) {
        const LowRow* best = nullptr;
        for (const LowRow& row : found.rows) {
            if (row.bass == wanted && (best == nullptr || row.peakDb > best->peakDb)) best = &row;
        }
        return best;
    };
    const LowRow *kickRow = loudest(false), *bassRow = loudest(true);
    const auto isCut = [&](const std::string& id, double hertz) {
        const Row& row = *findRow(session, id);
        return std::any_of(row.chain.begin(), row.chain.end(), [&](const Stage& stage) {
            if (stage.type != "eq" || !stage.on) return false;
            for (int b = 0; b < kEqBands; ++b) {
                const EqBand band = eqBand(stage.values, b);
                if (band.on && band.shape == EqShape::bell && band.gainDb < 0.0 &&
                    std::abs(std::log2(band.frequency / hertz)) < 0.5)
                    return true;
            }
            return false;
        });
    };
    const auto ducks = [&] {
        const Row& row = *findRow(session, bassRow->row);
        return std::any_of(row.chain.begin(), row.chain.end(), [&](const Stage& stage) {
            return stage.on && stage.type == "pump" &&
                   drumDriving(session, row.id, stage) == drumOfRow(session, kickRow->row);
        });
    };
    std::vector<LowMove> out;
    if (found.overDb < kClearDb) {
        if (!ducks()) out.push_back({LowMove::Kind::duck, bassRow->row, kickRow->row});
        const double hertz = loudestThird(found.kick, found.own);
        if (!isCut(bassRow->row, hertz))
            out.push_back({LowMove::Kind::cutBass, bassRow->row, {}, hertz});
    }
    const auto theirs =
        static_cast<std::size_t>(std::max_element(found.octaves.begin(), found.octaves.end(),
                                                  [](const LowOctave& a, const LowOctave& b) {
                                                      return a.bassDb < b.bassDb;
                                                  }) -
                                 found.octaves.begin());
    if (theirs != found.own && found.octaves[theirs].owner != LowOwner::kick &&
        found.octaves[theirs].bassDb - found.octaves[theirs].kickDb < kClearDb) {
        const double hertz = loudestThird(found.bass, theirs);
        if (!isCut(kickRow->row, hertz))
            out.push_back({LowMove::Kind::cutKick, kickRow->row, {}, hertz});
    }
    return out;
}

std::vector<std::string> lowEndText(const Session& session, const LowEnd& found) {
    std::vector<std::string> out;
    const LowRow *best = nullptr, *worst = nullptr;
    for (const LowRow& row : found.rows) {
        if (row.bass) continue;
        if (row.targetDb)
            out.push_back(rowName(session, row.row) + " alone reads " + numberText(row.readsDb, 1) +
                          "; its target: " +
                          targetText(*targetFor(session, *findRow(session, row.row))) + ".");
        if (best == nullptr || row.overDb > best->overDb) best = &row;
        if (worst == nullptr || row.overDb < worst->overDb) worst = &row;
    }
    const double pair = found.pairPeakDb - found.kickPeakDb;
    out.push_back("Kick and bass together peak at " + numberText(found.pairPeakDb, 1) + " dBFS, " +
                  changeText(pair, 1) + " dB against the kick alone; about " +
                  changeText(kPairOverDb, 0) + " is usual.");
    std::vector<std::string> owned[4];
    for (const LowOctave& octave : found.octaves)
        owned[static_cast<std::size_t>(octave.owner)].push_back(octaveText(octave));
    std::string who;
    const auto say = [&](LowOwner owner, const std::string& words) {
        const auto& octaves = owned[static_cast<std::size_t>(owner)];
        if (octaves.empty()) return;
        who += (who.empty() ? "" : "; ") + words + " " + listed(octaves);
    };
    say(LowOwner::kick, "the kick owns");
    say(LowOwner::bass, "the bass owns");
    say(LowOwner::both, "both share");
    if (!who.empty()) {
        who.front() = static_cast<char>(std::toupper(static_cast<unsigned char>(who.front())));
        out.push_back(who + ".");
    }
    const LowOctave& own = found.octaves[found.own];
    out.push_back("Around " + octaveText(own) + ", where the kick is strongest, it stands " +
                  overText(found.overDb) + " the bass; under " + numberText(100.0 * own.clash, 0) +
                  " % of its strokes the bass is in its way.");
    for (const LowOctave& octave : found.octaves) {
        if (octave.sumDb > -1.0) continue;
        out.push_back("Around " + octaveText(octave) + " their sum loses " +
                      numberText(-octave.sumDb, 1) + " dB; with one of them inverted it would " +
                      "be " + changeText(octave.flippedDb, 1) + " dB.");
    }
    if (best != worst)
        out.push_back(rowName(session, best->row) + " goes best with the bass: " +
                      overText(best->overDb) + " it where it is strongest, " +
                      rowName(session, worst->row) + " " + overText(worst->overDb) + " it.");
    return out;
}

std::string lowMoveText(const Session& session, const LowMove& move) {
    const std::string name = rowName(session, move.row);
    std::string what;
    switch (move.kind) {
        case LowMove::Kind::duck:
            what = name + " steps back by " + numberText(kDuckDb, 0) + " dB under the strokes of " +
                   rowName(session, move.key) + ": the kick gains ";
            break;
        case LowMove::Kind::cutBass:
            what = name + " loses " + numberText(-kCutDb, 0) + " dB around " +
                   numberText(move.hertz, 0) + " Hz: the kick gains ";
            break;
        case LowMove::Kind::cutKick:
            what = name + " loses " + numberText(-kCutDb, 0) + " dB around " +
                   numberText(move.hertz, 0) + " Hz: the bass gains ";
            break;
    }
    return what + numberText(move.freesDb, 1) + " dB over it. " + name +
           " itself: " + changeText(move.costsLu, 1) +
           " LU; the lows of both together: " + changeText(move.lowsDb, 1) + " dB.";
}

LowMoveMade withLowMove(Session session, const LowMove& move) {
    if (move.kind != LowMove::Kind::duck) {
        const std::string why = lowMoveText(session, move);
        BellAdded made = withBell(std::move(session), move.row, move.hertz, kCutDb, kCutQ, why);
        return {std::move(made.session), made.stage};
    }
    const Row before = requireRow(session, move.row);
    session = withStageAdded(std::move(session), move.row, "pump");
    std::string pump = "pump";
    for (const Stage& stage : findRow(session, move.row)->chain) {
        if (findStage(before, stage.id) == nullptr) pump = stage.id;
    }
    for (const auto& [parameter, value] :
         {std::pair{"by", static_cast<double>(Pump::strokes)}, std::pair{"depth", kDuckDb},
          std::pair{"hold", kDuckHoldMs}, std::pair{"return", kDuckReturnMs}})
        session = withValue(std::move(session), move.row, pump, parameter, value);
    return {withKey(std::move(session), move.row, pump, move.key), pump};
}

Session lowEndAlone(const Session& session) {
    std::vector<std::string> rows;
    for (const auto& list : {lowKicks(session), lowBasses(session)}) {
        for (const std::string& row : list) {
            for (const Row* on : wayOut(session, row)) {
                if (std::find(rows.begin(), rows.end(), on->id) == rows.end())
                    rows.push_back(on->id);
            }
        }
    }
    return withRowsAndKeys(session, rows);
}

}  // namespace ember
