#include "core/engine/plan.h"

#include "core/engine/plan_impl.h"
#include "core/session/graph.h"

#include <algorithm>
#include <bit>

namespace ember {
bool audible(const Session& session, const Row& row) {
    if (row.mute) return false;
    bool any = false;
    for (const Row& other : session.rows) any = any || other.solo;
    if (!any || row.kind == RowKind::main) return true;
    return std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& other) {
        return other.solo &&
               (leadsTo(session, row.id, other.id) || leadsTo(session, other.id, row.id));
    });
}

Plan::Plan(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
Plan::~Plan() = default;

void Plan::run(std::span<const BlockPlay> blocks) {
    impl_->run(blocks);
}

Frames Plan::adopt(const Plan& other) {
    return impl_->adopt(*other.impl_) ? 0 : longestLatency();
}

void Plan::move(const PlanMove& m) {
    Impl& p = *impl_;
    Node& node = p.nodes[static_cast<std::size_t>(m.row)];
    Row* row = findRow(p.session, node.id);
    if (m.kind == Move::Kind::mute || m.kind == Move::Kind::solo) {
        (m.kind == Move::Kind::mute ? row->mute : row->solo) = m.value >= 0.5;
        p.refreshAudible();
        return;
    }
    PlanStage& stage = node.stages[static_cast<std::size_t>(m.stage)];
    const bool align = node.source && m.stage == 0;
    if (m.kind == Move::Kind::stageOn) {
        stage.setOn(m.value >= 0.5);
        if (align) node.alignOn = m.value >= 0.5;
    } else {
        stage.setValue(m.parameter, m.value);
        if (align && m.parameter == Align::delay) node.delayMs = m.value;
        if (align && m.parameter == Align::rightDelay) node.rightDelayMs = m.value;
    }
    if (align) node.source->setDelay(node.delays(p.session.sampleRate));
}

void Plan::audition(const Audition& a) {
    for (int r = 0; r < rowCount(); ++r) {
        Node& node = impl_->nodes[static_cast<std::size_t>(r)];
        const int first = node.source ? 1 : 0, last = static_cast<int>(node.stages.size()) - 2;
        for (int s = 0; s < static_cast<int>(node.stages.size()) - 1; ++s) {
            const bool chain = s >= first && s <= last;
            const bool off =
                a.active && (a.row < 0 ? chain
                                       : (a.row == r &&
                                          (a.stages == 0 ? chain : (a.stages & stageBit(s)) != 0)));
            // A chain, or several stages of it, are matched once, behind the last; everything is
            // matched at the monitor.
            const bool matched =
                a.row == r &&
                (a.stages == 0 ? s == last : s == static_cast<int>(std::bit_width(a.stages)) - 1);
            node.stages[static_cast<std::size_t>(s)].setAuditionedOff(
                off, off && matched ? a.gainDb : 0.0);
        }
    }
}

int Plan::rowCount() const {
    return static_cast<int>(impl_->nodes.size());
}

int Plan::rowIndex(std::string_view id) const {
    for (int i = 0; i < rowCount(); ++i) {
        if (impl_->nodes[static_cast<std::size_t>(i)].id == id) return i;
    }
    return -1;
}

const std::string& Plan::rowId(int row) const {
    return impl_->nodes[static_cast<std::size_t>(row)].id;
}
const float* Plan::output(int row, int channel) const {
    return impl_->nodes[static_cast<std::size_t>(row)].out[channel].data();
}
const float* Plan::mainOutput(int channel) const {
    return impl_->main < 0 ? impl_->silence.data() : output(impl_->main, channel);
}
void Plan::takeMeter(int row, RowMeter& meter) {
    impl_->nodes[static_cast<std::size_t>(row)].meter->take(meter);
}
int Plan::latency(int row) const {
    return impl_->nodes[static_cast<std::size_t>(row)].latency;
}
int Plan::latency() const {
    return impl_->main < 0 ? 0 : latency(impl_->main);
}
int Plan::longestLatency() const {
    int longest = 0;
    for (const Node& node : impl_->nodes) longest = std::max(longest, node.latency);
    return longest;
}
int Plan::compensation(int row) const {
    return impl_->nodes[static_cast<std::size_t>(row)].compensation;
}
Frames Plan::length() const {
    return impl_->length;
}
std::int64_t Plan::stoppedBlocks() const {
    return impl_->stopped.load(std::memory_order_relaxed);
}
const std::vector<std::string>& Plan::problems() const {
    return impl_->problems;
}

void Plan::prefetch(Frames from, Frames to) const {
    for (const Node& node : impl_->nodes) {
        if (node.source) node.source->prefetch(from, to);
    }
}

}  // namespace ember
