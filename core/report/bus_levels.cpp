#include "core/report/bus_levels.h"

#include "core/engine/render.h"
#include "core/session/graph.h"

#include <algorithm>

namespace ember {
namespace {

// Only what the bus is fed with; whatever comes after it is neutral.
Session upTo(const Session& session, const std::string& bus) {
    Session out = session;
    for (Row& row : out.rows) {
        const bool before = leadsTo(session, row.id, bus);
        if (row.kind == RowKind::element && !before) row.mute = true;
        if (before) continue;
        for (Stage& stage : row.chain) {
            if (stage.type == "seat" && !hasSources(row.kind))
                stage.values = makeStage("seat").values;
            if (stage.type != "seat" && stage.type != "align" && !hasSources(row.kind))
                stage.on = false;
        }
    }
    return out;
}

}  // namespace

std::vector<SignalLevels> busLevels(const Session& session, AudioStore& store,
                                    const Progress& progress) {
    std::vector<SignalLevels> out;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::bus && row.kind != RowKind::main) continue;
        report(progress, static_cast<double>(out.size()) / static_cast<double>(session.rows.size()),
               row.name);
        const AudioBuffer mix = renderMix(upTo(session, row.id), store, {}, nullptr, {});
        const std::vector<std::span<const float>> sides(mix.channels.begin(), mix.channels.end());
        out.push_back(measureLevels(sides, session.sampleRate));
        out.back().row = row.id;
    }
    return out;
}

}  // namespace ember
