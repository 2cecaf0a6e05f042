#include "core/advise/proposal.h"

#include "core/base/error.h"

#include <algorithm>

namespace ember {

std::vector<Proposal> advise(const Session& session, const KitMeasurement& measured,
                             const Advice& how) {
    std::vector<Proposal> out;
    for (auto part : {adviseAlign(session, measured, how.align),
                      adviseGate(session, measured, how.gate), adviseRepair(session, measured)}) {
        for (Proposal& p : part) {
            const bool declined = std::find(session.declined.begin(), session.declined.end(),
                                            p.id) != session.declined.end();
            if (!declined) out.push_back(std::move(p));
        }
    }
    return out;
}

Session accept(Session session, const Proposal& proposal, const KitStrokes& strokes) {
    for (const ParameterMove& move : proposal.moves) {
        session =
            withValue(std::move(session), proposal.row, proposal.stage, move.parameter, move.value);
        if (move.parameter == "key-source" && move.value >= 0.5)
            session.strokes = Shared(strokes.strokes);
    }
    return session;
}

}  // namespace ember
