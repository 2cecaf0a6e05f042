#include "core/report/bleed_table.h"

#include "core/measure/kit/kit_mics.h"

#include <algorithm>

namespace ember {

BleedTable bleedTable(const Session& session, const KitMeasurement& m) {
    BleedTable table;
    const auto heard = [&](const std::string& drum) {
        return std::any_of(m.bleed.begin(), m.bleed.end(),
                           [&](const BleedLevel& b) { return b.drum == drum; });
    };
    const auto add = [&](const std::string& drum) {
        const bool known =
            std::find(table.drums.begin(), table.drums.end(), drum) != table.drums.end();
        if (!drum.empty() && !known && heard(drum)) table.drums.push_back(drum);
    };
    for (const Row& row : session.rows) add(drumOfRow(session, row.id));
    for (const BleedLevel& b : m.bleed) add(b.drum);
    for (const Row& row : session.rows) {
        BleedTable::Mic mic;
        mic.row = row.id;
        mic.drum = drumOfRow(session, row.id);
        mic.cells.resize(table.drums.size());
        bool any = false;
        for (const BleedLevel& b : m.bleed) {
            if (b.mic != row.id) continue;
            const auto at = std::find(table.drums.begin(), table.drums.end(), b.drum);
            mic.cells[static_cast<std::size_t>(at - table.drums.begin())] =
                BleedTable::Cell{b.peakDb, b.relativeDb};
            any = true;
        }
        for (const Separation& s : m.separation) {
            if (s.mic != row.id) continue;
            if (!mic.marginDb) {
                mic.marginDb = s.marginDb;
            } else {
                mic.filteredDb = s.marginDb;
                mic.highPass = s.highPass;
                mic.lowPass = s.lowPass;
            }
        }
        if (any) table.mics.push_back(std::move(mic));
    }
    return table;
}

}  // namespace ember
