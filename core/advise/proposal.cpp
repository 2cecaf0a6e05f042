#include "core/advise/proposal.h"

#include "core/advise/ready_bus.h"
#include "core/base/error.h"
#include "core/session/bleed.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>

namespace ember {

std::vector<Proposal> advise(const Session& session, const KitMeasurement& measured,
                             const Ways& how) {
    std::vector<Proposal> out;
    for (auto part :
         {adviseAlign(session, measured, how.align), adviseGate(session, measured, how.gate),
          adviseTune(session, measured), adviseRepair(session, measured, how.eq),
          adviseBalance(session, measured), adviseGiveBack(session, measured),
          adviseDynamics(session, measured, how.dynamics),
          adviseColour(session, measured, how.colour), adviseSeat(session, measured)}) {
        for (Proposal& p : part) {
            // What rests on a role that nobody is sure of is not proposed: the person is asked. Nor
            // for layers: what was measured is their drum in its microphones, not they.
            const auto doubt = [&](const std::string& id) {
                const Row* row = findRow(session, id);
                return row != nullptr && (isUnsure(*row) || !row->layers.empty());
            };
            if (doubt(p.row) || doubt(p.against)) continue;
            if (!isDeclined(session, p)) out.push_back(std::move(p));
        }
    }
    return out;
}

const std::vector<std::string>& advisedSteps() {
    static const std::vector<std::string> steps{"align",    "bleed",  "gate", "repair",
                                                "dynamics", "colour", "seat", "bus"};
    return steps;
}

namespace {

// A proposal's title and reason, as much of them as a band's text holds.
std::string firstSentences(const Proposal& proposal) {
    std::string text = proposal.title + ". " + proposal.reason;
    while (text.size() > kLongestWord) {
        const auto end = text.rfind(". ", text.size() - 3);
        if (end == std::string::npos) return proposal.title;
        text.resize(end + 1);
    }
    return text;
}

}  // namespace

Why whyOf(const Proposal& proposal) {
    return {proposal.row, proposal.stage, proposal.reason, proposal.id};
}

bool isDeclined(const Session& session, const Proposal& proposal) {
    return std::find(session.declined.begin(), session.declined.end(), proposal.id) !=
           session.declined.end();
}

Session accept(Session session, const Proposal& proposal, const KitStrokes& strokes) {
    if (!proposal.feeds.empty()) return withBus(std::move(session), proposal.row, proposal.feeds);
    for (const auto& [drum, db] : proposal.turned)
        session = withDrumTurned(std::move(session), proposal.row, drum, db, proposal.model);
    if (!proposal.turned.empty()) return session;
    if (!proposal.readyBus.empty()) {
        session = withReadyBus(std::move(session), proposal.readyBus);
        const std::string bus = readyBusIn(session, proposal.readyBus);
        for (const ParameterMove& move : proposal.moves)
            session = withValue(std::move(session), bus, "seat", move.parameter, move.value);
        return session;
    }
    if (!proposal.stageType.empty() &&
        findStage(requireRow(session, proposal.row), proposal.stage) == nullptr)
        session = withStageAdded(std::move(session), proposal.row, proposal.stageType);
    for (const ParameterMove& move : proposal.moves) {
        session =
            withValue(std::move(session), proposal.row, proposal.stage, move.parameter, move.value);
    }
    // A band keeps why it is there.
    for (const ParameterMove& move : proposal.moves) {
        const auto dot = move.parameter.find(".on");
        if (move.parameter.front() != 'b' || dot == std::string::npos || move.value < 0.5) continue;
        if (requireStage(requireRow(session, proposal.row), proposal.stage).type == "eq")
            session = withWord(std::move(session), proposal.row, proposal.stage,
                               move.parameter.substr(0, dot) + ".why", firstSentences(proposal));
    }
    const auto at = [&](const std::string& id) {
        const std::vector<Stage>& chain = requireRow(session, proposal.row).chain;
        const auto stage =
            std::find_if(chain.begin(), chain.end(), [&](const Stage& s) { return s.id == id; });
        return stage == chain.end() ? -1 : static_cast<int>(stage - chain.begin());
    };
    if (const int other = at(proposal.before), here = at(proposal.stage);
        other >= 0 && here > other)
        session = withStageMoved(std::move(session), proposal.row, proposal.stage, other - here);
    if (const int other = at(proposal.behind), here = at(proposal.stage);
        other >= 0 && here < other)
        session = withStageMoved(std::move(session), proposal.row, proposal.stage, other - here);
    if (playsStrokes(requireStage(requireRow(session, proposal.row), proposal.stage)))
        session.strokes = Shared(strokes.strokes);
    return session;
}

bool isAccepted(const Session& session, const Proposal& p) {
    const Row* row = findRow(session, p.row);
    if (row != nullptr && !p.feeds.empty()) return row->parent == p.feeds;
    std::string stageId = p.stage;
    if (!p.readyBus.empty()) {
        row = findRow(session, readyBusIn(session, p.readyBus));
        stageId = "seat";
    }
    const Stage* stage = row == nullptr ? nullptr : findStage(*row, stageId);
    if (stage == nullptr || !stage->on || stage->mark != Mark::decided) return false;
    const auto stands = [&](const std::string& id) {  // where in the chain; -1: nowhere
        for (std::size_t i = 0; i < row->chain.size(); ++i) {
            if (row->chain[i].id == id) return static_cast<int>(i);
        }
        return -1;
    };
    for (const auto& [drum, db] : p.turned) {
        if (std::abs(drumGain(*row, drum) - db) > 1e-9) return false;
    }
    const int own = stands(stageId), before = stands(p.before), behind = stands(p.behind);
    if ((before >= 0 && own > before) || (behind >= 0 && own < behind)) return false;
    const ParameterTable table = processorType(stage->type).table;
    return std::all_of(p.moves.begin(), p.moves.end(), [&](const ParameterMove& move) {
        const int index = parameterIndex(table, move.parameter);
        return index >= 0 &&
               std::abs(stage->values[static_cast<std::size_t>(index)] - move.value) < 1e-9;
    });
}

}  // namespace ember
