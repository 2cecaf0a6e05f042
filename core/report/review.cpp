#include "core/report/review.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kSameDb = 0.3;     // of a spectrum read over moved windows
constexpr double kNothingDb = 0.1;  // of gain or level that nobody hears
constexpr double kHeardDb = 60.0;   // under the loudest band
constexpr double kHeardHertz = 17000.0;

bool atDefaults(const Stage& stage) {
    return stage.values == standardValues(processorType(stage.type).table);
}

bool isFixed(const Stage& stage) {
    return stage.type == "align" || stage.type == "seat";
}

// Whether the song passed it as it came: no gain, no other level, no other spectrum.
bool didNothing(const StageTrace& t) {
    if (t.gainDb.empty() || t.inputPeak.size() != t.outputPeak.size()) return false;
    // Levels over the whole song: a stage may be some frames late, and leave out what lies above
    // hearing.
    double in = 1e-12, out = 1e-12;
    for (std::size_t b = 0; b < t.gainDb.size(); ++b) {
        if (std::abs(static_cast<double>(t.gainDb[b])) > kNothingDb) return false;
        in += std::pow(static_cast<double>(t.inputPeak[b]), 2.0);
        out += std::pow(static_cast<double>(t.outputPeak[b]), 2.0);
    }
    if (std::abs(10.0 * std::log10(out / in)) > kNothingDb) return false;
    if (t.before.level.empty()) return true;
    const double top = *std::max_element(t.before.level.begin(), t.before.level.end());
    for (std::size_t k = 0; k < std::min(t.before.level.size(), t.after.level.size()); ++k) {
        if (t.before.level[k] > top - kHeardDb && t.before.frequency[k] < kHeardHertz &&
            std::abs(t.after.level[k] - t.before.level[k]) > kSameDb)
            return false;
    }
    return true;
}

// Whether it changes the sound though nobody decided it.
bool undecided(const Stage& stage) {
    return stage.on && stage.mark == Mark::untouched && !(isFixed(stage) && atDefaults(stage));
}

}  // namespace

Session withUndecidedReset(Session session) {
    for (Row& row : session.rows) {
        for (Stage& stage : row.chain) {
            if (!undecided(stage)) continue;
            stage.values = standardValues(processorType(stage.type).table);
            stage.on = isFixed(stage);
        }
    }
    return session;
}

std::vector<ReviewItem> reviewChains(const Session& session,
                                     const std::map<std::string, RowTrace>& traces) {
    std::vector<ReviewItem> out;
    for (const Row& row : session.rows) {
        if (row.mute)
            out.push_back({ReviewItem::Kind::muted,
                           row.id,
                           {},
                           row.name + " is muted: unmute it, or take it out of the kit."});
        const auto traced = traces.find(row.id);
        for (std::size_t i = 0; i < row.chain.size(); ++i) {
            const Stage& stage = row.chain[i];
            const std::string name = row.name + ", " + processorType(stage.type).label;
            if (undecided(stage)) {
                out.push_back({ReviewItem::Kind::active, row.id, stage.id,
                               name + " is active though nobody decided it: listen with and "
                                      "without, then decide or reset it."});
                continue;
            }
            if (isFixed(stage)) continue;
            if (!stage.on && !atDefaults(stage)) {
                out.push_back({ReviewItem::Kind::leftover, row.id, stage.id,
                               name + " is switched off with settings of its own: remove it, or "
                                      "switch it on where it serves."});
            } else if (stage.on && traced != traces.end() && i < traced->second.stages.size() &&
                       didNothing(traced->second.stages[i])) {
                out.push_back({ReviewItem::Kind::leftover, row.id, stage.id,
                               name + " is on, and changed nothing in the whole song: remove it, "
                                      "or give it something to do."});
            }
        }
    }
    return out;
}

}  // namespace ember
