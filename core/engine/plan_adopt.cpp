// A new plan goes on where the one before it is: every stage that both have keeps its sound, its
// detectors and its place in a movement, so that the fade between the two plans changes only what
// the edit changed.

#include "core/engine/plan_impl.h"

namespace ember {

bool Plan::Impl::adopt(const Impl& other) {
    if (session.sampleRate != other.session.sampleRate) return false;
    time.adopt(other.time);
    bool filled = true;
    for (Node& node : nodes) {
        const auto before =
            std::find_if(other.nodes.begin(), other.nodes.end(), [&](const Node& candidate) {
                return candidate.part == node.part && candidate.channels == node.channels;
            });
        filled = before != other.nodes.end() ? adopt(node, *before, other) && filled
                                             : node.latency == 0 && filled;
    }
    refreshAudible();
    return filled;
}

bool Plan::Impl::adopt(Node& node, const Node& before, const Impl& other) {
    bool filled = true;
    if (node.source && before.source) node.source->adopt(*before.source);
    for (PlanStage& stage : node.stages) {
        // Beside a print only the seat runs.
        if (node.print && &stage != &node.stages.back()) continue;
        const auto same = std::find_if(before.stages.begin(), before.stages.end(),
                                       [&](const PlanStage& s) { return s.sameAs(stage); });
        if (same == before.stages.end()) {
            filled = filled && stage.latency() == 0;
            continue;
        }
        stage.adopt(*same);
        // What waits in it is of another time where it stands at another place now.
        if (stage.latency() > 0 && stage.entersAt != same->entersAt) filled = false;
        if (!stage.keyDelay.adopt(same->keyDelay)) filled = false;
        if (!stage.wait.adopt(same->wait)) filled = false;
    }
    filled = adopt(node.inputs, before.inputs, other) && filled;
    return adopt(node.keyInputs, before.keyInputs, other) && filled;
}

bool Plan::Impl::adopt(std::vector<PlanEdge>& edges, const std::vector<PlanEdge>& before,
                       const Impl& other) {
    bool filled = true;
    for (PlanEdge& edge : edges) {
        const std::uint64_t from = nodes[static_cast<std::size_t>(edge.from())].part;
        const auto same =
            std::find_if(before.begin(), before.end(), [&](const PlanEdge& candidate) {
                return other.nodes[static_cast<std::size_t>(candidate.from())].part == from;
            });
        const bool goesOn = same != before.end() ? edge.adopt(*same) : edge.wait() == 0;
        filled = filled && goesOn;
    }
    return filled;
}

}  // namespace ember
