#include "core/advise/proposal.h"

#include "core/base/error.h"

#include <algorithm>

namespace ember {

std::vector<Proposal> advise(const Session& session, const KitMeasurement& measured,
                             const Advice& how) {
    std::vector<Proposal> out;
    for (auto part :
         {adviseAlign(session, measured, how.align), adviseGate(session, measured, how.gate),
          adviseRepair(session, measured), adviseDynamics(session, measured, how.dynamics),
          adviseColour(session, measured, how.colour), adviseSeat(session, measured)}) {
        for (Proposal& p : part) {
            const bool declined = std::find(session.declined.begin(), session.declined.end(),
                                            p.id) != session.declined.end();
            if (!declined) out.push_back(std::move(p));
        }
    }
    return out;
}

const std::vector<std::string>& advisedSteps() {
    static const std::vector<std::string> steps{"align",    "gate",   "repair",
                                                "dynamics", "colour", "seat"};
    return steps;
}

Session accept(Session session, const Proposal& proposal, const KitStrokes& strokes) {
    if (!proposal.stageType.empty() &&
        findStage(requireRow(session, proposal.row), proposal.stage) == nullptr)
        session = withStageAdded(std::move(session), proposal.row, proposal.stageType);
    for (const ParameterMove& move : proposal.moves) {
        session =
            withValue(std::move(session), proposal.row, proposal.stage, move.parameter, move.value);
        if (move.parameter == "key-source" && move.value >= 0.5)
            session.strokes = Shared(strokes.strokes);
    }
    return session;
}

}  // namespace ember
