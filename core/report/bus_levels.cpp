#include "core/report/bus_levels.h"

#include "core/engine/render.h"

namespace ember {
std::vector<SignalLevels> busLevels(const Session& session, AudioStore& store,
                                    const Progress& progress) {
    std::vector<SignalLevels> out;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::bus && row.kind != RowKind::main) continue;
        report(progress, static_cast<double>(out.size()) / static_cast<double>(session.rows.size()),
               row.name);
        const AudioBuffer heard = renderRow(session, store, row.id, {});
        const std::vector<std::span<const float>> sides(heard.channels.begin(),
                                                        heard.channels.end());
        out.push_back(measureLevels(sides, session.sampleRate));
        out.back().row = row.id;
    }
    return out;
}

}  // namespace ember
