// Measurements and proposals as JSON (docs/measure.schema.json), and strokes as CSV.
#pragma once

#include "core/advise/proposal.h"
#include "core/report/ledger.h"
#include "core/report/review.h"
#include "core/report/stroke_view.h"

#include <set>
#include <string>
#include <vector>

namespace ember {

// The parts a measurement is asked for by: strokes, bleed, phase, tone, time, dynamics.
const std::vector<std::string>& measurementParts();
// Only the parts named; all when empty. Drums are told by kind (`drum`), lasting id (`drum_id`) and
// name (`drum_name`), the session's. Throws Error for an unknown part.
// `buses` (bus_levels.h) stand beside the elements' levels.
std::string measurementJson(const Session& session, const KitMeasurement& measured,
                            const std::set<std::string>& parts,
                            const std::vector<SignalLevels>& buses = {});
std::string proposalsJson(const std::vector<Proposal>& proposals,
                          const std::set<std::string>& accepted);
std::string ledgerJson(const Ledger& ledger);
std::string orderJson(const OrderTest& test);
std::string strokeViewJson(const StrokeView& view, double time);
std::string reviewJson(const std::vector<ReviewItem>& items);
// One line a stroke: time_s,drum,drum_id,drum_name,mic,velocity,kind,confidence.
std::string strokesCsv(const Session& session, const KitStrokes& strokes);

}  // namespace ember
