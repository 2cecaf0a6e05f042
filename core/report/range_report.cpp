#include "core/report/range_report.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/engine/render.h"
#include "core/measure/level/loudness.h"
#include "core/report/mix_figures.h"
#include "core/session/range.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <span>

namespace ember {
namespace {

constexpr double kShortestSpan = 10.0;  // seconds: a few windows of three
constexpr double kSaid = 0.5;           // LU that a place takes or adds before it is named
constexpr float kSilent = 1e-5F;        // -100 dBFS

bool isSum(const Row& row) {
    return row.kind == RowKind::bus || row.kind == RowKind::main;
}

// What every sum moves by while the steps of some rows are passed by; nothing for silent ones.
std::map<std::string, double> rangesOf(const Session& session, AudioStore& store,
                                       const RenderOptions& options,
                                       const std::function<bool(const Row&)>& passedBy,
                                       const Progress& progress) {
    Session other = session;
    for (Row& row : other.rows) {
        if (!passedBy(row)) continue;
        row.frozen.reset();
        for (Stage& stage : row.chain) {
            if (!belongsToRow(stage) && stage.type != "part") stage.on = false;
        }
    }
    std::map<std::string, double> out;
    for (const RowAudio& one : renderRows(other, store, options, progress)) {
        const Row& row = *findRow(session, one.row);
        if (!isSum(row)) continue;
        const auto& channels = one.audio.channels;
        const bool sounds = std::any_of(channels.begin(), channels.end(), [](const auto& side) {
            return std::any_of(side.begin(), side.end(),
                               [](float x) { return std::abs(x) > kSilent; });
        });
        const std::vector<std::span<const float>> sides(channels.begin(), channels.end());
        if (sounds) out[one.row] = loudnessRange(sides, one.audio.sampleRate);
    }
    return out;
}

double valueOf(const std::map<std::string, double>& ranges, const std::string& row) {
    const auto at = ranges.find(row);
    return at != ranges.end() ? at->second : 0.0;
}

}  // namespace

std::vector<SumRange> rangeReport(const Session& session, AudioStore& store, double from, double to,
                                  const Progress& progress) {
    const RenderOptions options = heardOver(from, to);
    if (options.to - options.from < kShortestSpan)
        throw Error("How far a sum moves shows over " + numberText(kShortestSpan, 0) +
                    " seconds at least; make the loop longer, or turn it off.");
    const auto kept = rangesOf(
        session, store, options, [](const Row&) { return false; }, within(progress, 0.0, 0.4));
    const auto fed = rangesOf(session, store, options, isSum, within(progress, 0.4, 0.7));
    const auto played = rangesOf(
        session, store, options, [](const Row&) { return true; }, within(progress, 0.7, 1.0));
    std::vector<SumRange> out;
    for (const Row& row : session.rows) {
        if (!isSum(row)) continue;
        out.push_back({row.id, sumKind(session, row.id), kept.contains(row.id),
                       valueOf(played, row.id), valueOf(fed, row.id), valueOf(kept, row.id)});
    }
    return out;
}

RangeVerdict rangeVerdict(const Session& session, const SumRange& sum) {
    if (!sum.sounds) return RangeVerdict::silent;
    if (const RangeBudget* budget = rangeBudget(session, sum.row)) {
        if (budget->moves ? sum.kept >= budget->lu : sum.kept <= budget->lu)
            return RangeVerdict::within;
        return budget->moves ? RangeVerdict::tooEven : RangeVerdict::tooFar;
    }
    const UsualSpan usual = usualRange(sum.kind, session.style);
    if (usual.holds(sum.kept)) return RangeVerdict::within;
    return sum.kept < usual.low ? RangeVerdict::tooEven : RangeVerdict::tooFar;
}

std::vector<std::string> rangeText(const Session& session, const std::vector<SumRange>& sums) {
    std::vector<std::string> out;
    for (const SumRange& sum : sums) {
        const RangeVerdict verdict = rangeVerdict(session, sum);
        if (verdict != RangeVerdict::tooEven && verdict != RangeVerdict::tooFar) continue;
        const RangeBudget* budget = rangeBudget(session, sum.row);
        std::string text =
            findRow(session, sum.row)->name + ": " + numberText(sum.kept, 1) + " LU, ";
        if (budget != nullptr)
            text +=
                "wanted " + numberText(budget->lu, 1) + (budget->moves ? " at least" : " at most");
        else
            text += usualText(usualRange(sum.kind, session.style), session.style);
        const double byMembers = sum.fed - sum.played, byItself = sum.kept - sum.fed;
        if (verdict == RangeVerdict::tooEven) {
            if (std::min(byMembers, byItself) > -kSaid)
                text += "; it was played so";
            else
                text += byItself < byMembers ? "; most of it goes in its own steps"
                                             : "; most of it goes in the steps of what feeds it";
        } else if (std::max(byMembers, byItself) > kSaid) {
            text += byItself > byMembers ? "; its own steps add to it"
                                         : "; the steps of what feeds it add to it";
        } else {
            text += "; it was played so: press it, or ride it";
        }
        out.push_back(text + ".");
    }
    if (out.empty()) out.emplace_back("Every sum moves as far as it may.");
    return out;
}

}  // namespace ember
