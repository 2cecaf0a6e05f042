#include "core/report/low_mids.h"

#include "core/dsp/seat.h"

#include <cmath>

namespace ember {
namespace {

double powerOf(const Spectrum& s) {
    double sum = 0.0;
    for (std::size_t i = 0; i < s.frequency.size(); ++i) {
        if (s.frequency[i] >= kLowMidsFrom && s.frequency[i] <= kLowMidsTo)
            sum += std::pow(10.0, s.level[i] / 10.0);
    }
    return sum;
}

}  // namespace

LowMids lowMids(const Session& session, const std::string& id,
                const std::function<const RowTrace*(const std::string&)>& traceOf) {
    double before = 0.0, after = 0.0, othersAfter = 0.0, ownBefore = 0.0;
    for (const Row& row : session.rows) {
        const RowTrace* trace =
            row.kind == RowKind::element && !row.mute ? traceOf(row.id) : nullptr;
        if (trace == nullptr) continue;
        double in = 0.0, change = 1.0, fader = 1.0;
        for (std::size_t s = 0; s < std::min(row.chain.size(), trace->stages.size()); ++s) {
            const Stage& stage = row.chain[s];
            if (stage.type == "seat") fader = std::pow(10.0, stage.values[Seat::level] / 10.0);
            if (stage.type != "eq") continue;
            const double was = powerOf(trace->stages[s].before),
                         is = powerOf(trace->stages[s].after);
            if (in <= 0.0) in = was;
            if (stage.on && was > 0.0) change *= is / was;
        }
        before += fader * in;
        after += fader * in * change;
        othersAfter += row.id == id ? 0.0 : fader * in * change;
        ownBefore += row.id == id ? fader * in : 0.0;
    }
    if (before <= 0.0 || after <= 0.0) return {};
    return {10.0 * std::log10(after / before),
            10.0 * std::log10(after / (othersAfter + ownBefore))};
}

}  // namespace ember
