#include "core/engine/plan.h"

#include "core/engine/plan_impl.h"
#include "core/session/graph.h"

#include <algorithm>
#include <bit>

namespace ember {

namespace {

// Whether what is soloed lies on the way that goes in at `in` and comes from `out`, before or
// behind; also where nothing is soloed. `leads` tells, by places, whether one row leads to another.
template <typename Leads>
bool soloOpens(const Session& session, std::size_t in, std::size_t out, Leads leads) {
    bool any = false;
    for (std::size_t s = 0; s < session.rows.size(); ++s) {
        if (!session.rows[s].solo) continue;
        any = true;
        if (leads(in, s) || leads(s, out)) return true;
    }
    return !any;
}

template <typename Leads>
bool audible(const Session& session, std::size_t place, Leads leads) {
    const Row& row = session.rows[place];
    return !row.mute && (row.kind == RowKind::main || row.kind == RowKind::reference ||
                         soloOpens(session, place, place, leads));
}

}  // namespace

bool audible(const Session& session, const Row& row) {
    const auto place = std::find_if(session.rows.begin(), session.rows.end(),
                                    [&](const Row& r) { return r.id == row.id; });
    return audible(session, static_cast<std::size_t>(place - session.rows.begin()),
                   [&](std::size_t from, std::size_t to) {
                       return leadsTo(session, session.rows[from].id, session.rows[to].id);
                   });
}

void Plan::Impl::refreshAudible() {
    const auto leading = [&](std::size_t from, std::size_t to) { return leads[from][to] != 0; };
    // Whether a row that is heard listens to a bus that `place` comes into, or is (`itself`).
    const auto listenedTo = [&](std::size_t place, bool itself) {
        return std::any_of(listeners.begin(), listeners.end(), [&](const Listener& l) {
            return (itself || place != l.bus) && leading(place, l.bus) &&
                   audible(session, l.row, leading);
        });
    };
    // What is listened to sounds on, whatever is soloed.
    const auto sounds = [&](std::size_t place) {
        return audible(session, place, leading) ||
               (!session.rows[place].mute && listenedTo(place, false));
    };
    for (Node& node : nodes) {
        node.seat().setAudible(sounds(node.row));
        node.eachInput([&](PlanEdge& edge) {
            const std::size_t from = nodes[static_cast<std::size_t>(edge.from())].row;
            // What a seat closes is closed there.
            edge.setOpen(sounds(from) ? soloOpens(session, node.row, from, leading) ||
                                            listenedTo(node.row, true)
                                      : !edge.before());
        });
    }
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
    if (m.kind == Move::Kind::mute || m.kind == Move::Kind::solo) {
        Row& row = p.session.rows[node.row];
        (m.kind == Move::Kind::mute ? row.mute : row.solo) = m.value >= 0.5;
        p.refreshAudible();
        return;
    }
    if (m.kind == Move::Kind::sendOn || m.kind == Move::Kind::sendLevel ||
        m.kind == Move::Kind::sendPan) {
        const Place at = node.sends[static_cast<std::size_t>(m.stage)];
        if (at.row >= 0)
            p.nodes[static_cast<std::size_t>(at.row)].inputs[at.input].move(m.kind, m.value);
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

void Plan::strike(int row, double velocity, int articulation) {
    if (row < 0 || row >= rowCount()) return;
    Node& node = impl_->nodes[static_cast<std::size_t>(row)];
    if (node.source) node.source->strike(velocity, articulation);
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
Plan::Gives Plan::gives(int row) const {
    const Node& node = impl_->nodes[static_cast<std::size_t>(row)];
    return !node.awake ? Gives::nothing : node.print ? Gives::print : Gives::live;
}
std::vector<Plan::Input> Plan::inputs(int row) const {
    std::vector<Input> out;
    for (const PlanEdge& edge : impl_->nodes[static_cast<std::size_t>(row)].inputs)
        out.push_back(
            {edge.from(), edge.before(), edge.gain(0), edge.gain(1), edge.wait(), edge.isSend()});
    return out;
}
const float* Plan::followed(int row, std::size_t input, int channel) const {
    return impl_->nodes[static_cast<std::size_t>(row)].inputs[input].followed(channel);
}
std::span<const CurveReader> Plan::curves(int row, int stage) const {
    return impl_->nodes[static_cast<std::size_t>(row)]
        .stages[static_cast<std::size_t>(stage)]
        .curves;
}
const float* Plan::beforeFader(int row, int channel) const {
    return impl_->nodes[static_cast<std::size_t>(row)].beforeFader[channel].data();
}
Frames Plan::length() const {
    return impl_->length;
}
std::span<const Beat> Plan::beats() const {
    return impl_->beats;
}
double Plan::sampleRate() const {
    return impl_->session.sampleRate;
}
std::int64_t Plan::stoppedBlocks() const {
    return impl_->stopped.load(std::memory_order_relaxed);
}
const std::vector<std::string>& Plan::problems() const {
    return impl_->problems;
}

void Plan::hold(std::span<const FrameSpan> song) const {
    for (const Node& node : impl_->nodes) {
        if (node.source && node.reads()) node.source->hold(song);
        if (node.print) node.print->hold(song);
    }
}

void Plan::prefetch(Frames from, Frames to) const {
    for (const Node& node : impl_->nodes) {
        if (node.source && node.reads()) node.source->prefetch(from, to);
        if (node.print) node.print->prefetch(from, to);
    }
}

}  // namespace ember
