#include "core/engine/plan.h"

#include "core/base/error.h"
#include "core/dsp/align.h"
#include "core/dsp/seat.h"
#include "core/engine/flush_to_zero.h"
#include "core/engine/plan_stage.h"

#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <cmath>

namespace ember {
namespace {

struct Input {
    int row = 0;
    DelayLine wait;  // to the latest of the bus's inputs
};

// One row, ready to run.
struct Node {
    std::string id;
    RowKind kind = RowKind::element;
    int channels = 1;
    int level = 0;  // 0: sources; a bus stands above all that feeds it
    std::unique_ptr<ClipSource> source;
    std::vector<Input> inputs;
    std::vector<PlanStage> stages;
    std::vector<float> out[2];
    std::vector<float> tap[2];  // source after align, where another row listens to it
    bool tapped = false;
    int latency = 0, compensation = 0;
    bool alignOn = true;
    double delayMs = 0.0;
    RowMeter meter;

    AudioBlock block(int b, int count) {
        return {{out[0].data() + b * kBlock, out[1].data() + b * kBlock}, count, kBlock};
    }
    Seat& seat() { return static_cast<Seat&>(stages.back().processor()); }
};

}  // namespace

struct Plan::Impl {
    Session session;  // names, mutes and solos as the plan was compiled or moved since
    PlanOptions options;
    std::vector<Node> nodes;
    std::vector<std::vector<int>> levels;
    int main = -1;
    Frames length = 0;
    std::atomic<std::int64_t> stopped{0};
    std::vector<std::string> problems;
    std::unique_ptr<tbb::task_arena> arena;
    std::vector<float> silence;

    template <typename Work>
    void forEach(const std::vector<int>& rows, Work work) {
        if (options.threads <= 1 || rows.size() < 2) {
            const FlushToZero ftz;
            for (const int row : rows) work(nodes[static_cast<std::size_t>(row)], row);
            return;
        }
        arena->execute([&] {
            tbb::parallel_for(std::size_t{0}, rows.size(), [&](std::size_t i) {
                const FlushToZero ftz;
                work(nodes[static_cast<std::size_t>(rows[i])], rows[i]);
            });
        });
    }

    void observe(int row, int stage, int b, const AudioBlock& before, const AudioBlock& after,
                 const PlanStage& s) const {
        options.observer->stageDone(row, stage, b, before, after, s.processor(), s.active());
    }

    void runStage(Node& node, int row, int index, int b) {
        PlanStage& stage = node.stages[static_cast<std::size_t>(index)];
        const bool isSeat = index + 1 == static_cast<int>(node.stages.size());
        const AudioBlock io = node.block(b, isSeat ? 2 : node.channels);
        float before[2][kBlock];
        if (options.observer != nullptr) {
            for (int c = 0; c < node.channels; ++c) std::copy_n(io.channel[c], kBlock, before[c]);
        }
        if (stage.keyRow >= 0) {
            Node& other = nodes[static_cast<std::size_t>(stage.keyRow)];
            float copy[2][kBlock];
            const AudioBlock key{{copy[0], copy[1]}, other.channels, kBlock};
            for (int c = 0; c < other.channels; ++c)
                std::copy_n(other.tap[c].data() + b * kBlock, kBlock, copy[c]);
            stage.keyDelay.process(key);
            stage.process(io, &key);
        } else {
            stage.process(io, nullptr);
        }
        if (index < RowMeter::kStages) {
            const Reading& now = stage.active() ? stage.processor().reading() : Reading{};
            Reading& kept = node.meter.stage[index];
            kept.keyPeak = std::max(kept.keyPeak, now.keyPeak);
            kept.gainDb = std::min(kept.gainDb, now.gainDb);
        }
        if (options.observer != nullptr)
            observe(row, index, b, {{before[0], before[1]}, node.channels, kBlock}, io, stage);
    }

    void readSource(Node& node, int row, std::span<const BlockPlay> blocks) {
        for (std::size_t b = 0; b < blocks.size(); ++b) {
            const int at = static_cast<int>(b);
            node.source->read(blocks[b], node.block(at, node.channels));
            runStage(node, row, 0, at);
            if (!node.tapped) continue;
            for (int c = 0; c < node.channels; ++c) {
                std::copy_n(node.out[c].data() + at * kBlock, kBlock,
                            node.tap[c].data() + at * kBlock);
            }
        }
    }

    void sumInputs(Node& node, std::size_t blocks) {
        float copy[2][kBlock];
        for (std::size_t b = 0; b < blocks; ++b) {
            const AudioBlock io = node.block(static_cast<int>(b), 2);
            for (int c = 0; c < 2; ++c) std::fill_n(io.channel[c], kBlock, 0.0F);
            for (Input& input : node.inputs) {
                const Node& from = nodes[static_cast<std::size_t>(input.row)];
                for (int c = 0; c < 2; ++c)
                    std::copy_n(from.out[c].data() + b * kBlock, kBlock, copy[c]);
                input.wait.process({{copy[0], copy[1]}, 2, kBlock});
                for (int c = 0; c < 2; ++c) {
                    for (int i = 0; i < kBlock; ++i) io.channel[c][i] += copy[c][i];
                }
            }
        }
    }

    // A NaN or infinity stops here: the block is silenced and the row starts afresh.
    void guard(Node& node, const AudioBlock& io) {
        float probe = 0.0F;
        for (int c = 0; c < 2; ++c) {
            for (int i = 0; i < kBlock; ++i) probe += io.channel[c][i] * 0.0F;
        }
        if (probe == 0.0F) return;
        for (int c = 0; c < 2; ++c) std::fill_n(io.channel[c], kBlock, 0.0F);
        for (PlanStage& stage : node.stages) stage.processor().reset();
        stopped.fetch_add(1, std::memory_order_relaxed);
    }

    static void measure(Node& node, const AudioBlock& io, float weight) {
        for (int c = 0; c < 2; ++c) {
            float peak = node.meter.peak[c], energy = 0.0F;
            for (int i = 0; i < kBlock; ++i) {
                peak = std::max(peak, std::abs(io.channel[c][i]));
                energy += io.channel[c][i] * io.channel[c][i];
            }
            node.meter.peak[c] = peak;
            node.meter.meanSquare[c] += weight * energy;
        }
    }

    void runChain(Node& node, int row, std::size_t blocks) {
        const int first = node.source ? 1 : 0;
        const float weight = 1.0F / static_cast<float>(blocks * kBlock);
        for (std::size_t b = 0; b < blocks; ++b) {
            for (int s = first; s < static_cast<int>(node.stages.size()); ++s)
                runStage(node, row, s, static_cast<int>(b));
            const AudioBlock io = node.block(static_cast<int>(b), 2);
            guard(node, io);
            measure(node, io, weight);
        }
    }

    void refreshAudible() {
        for (Node& node : nodes) {
            if (const Row* row = findRow(session, node.id))
                node.seat().setAudible(audible(session, *row));
        }
    }
};

bool audible(const Session& session, const Row& row) {
    if (row.mute) return false;
    bool any = false;
    for (const Row& other : session.rows) any = any || other.solo;
    if (!any || row.kind == RowKind::main) return true;
    const auto leadsTo = [&](const Row& from, const Row& to) {
        const Row* at = &from;
        for (std::size_t i = 0; at != nullptr && i <= session.rows.size(); ++i) {
            if (at->id == to.id) return true;
            at = findRow(session, at->parent);
        }
        return false;
    };
    return std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& other) {
        return other.solo && (leadsTo(row, other) || leadsTo(other, row));
    });
}

Plan::Plan(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
Plan::~Plan() = default;

void Plan::run(std::span<const BlockPlay> blocks) {
    Impl& p = *impl_;
    for (Node& node : p.nodes) node.meter = {};
    p.forEach(p.levels[0], [&](Node& node, int row) { p.readSource(node, row, blocks); });
    for (std::size_t level = 0; level < p.levels.size(); ++level) {
        p.forEach(p.levels[level], [&](Node& node, int row) {
            if (level > 0) p.sumInputs(node, blocks.size());
            p.runChain(node, row, blocks.size());
        });
    }
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
        stage.processor().setValue(m.parameter, m.value);
        if (align && m.parameter == Align::delay) node.delayMs = m.value;
    }
    if (align)
        node.source->setDelay(node.alignOn ? framesFromMs(node.delayMs, p.session.sampleRate)
                                           : 0.0);
}

void Plan::audition(const Audition& a) {
    for (int r = 0; r < rowCount(); ++r) {
        Node& node = impl_->nodes[static_cast<std::size_t>(r)];
        const int first = node.source ? 1 : 0, last = static_cast<int>(node.stages.size()) - 2;
        for (int s = 0; s < static_cast<int>(node.stages.size()) - 1; ++s) {
            const bool chain = s >= first && s <= last;
            const bool off =
                a.active &&
                (a.row < 0 ? chain : (a.row == r && (a.stage < 0 ? chain : a.stage == s)));
            // A whole chain is matched once, at its end; everything is matched at the monitor.
            const bool matched = a.row == r && (a.stage >= 0 || s == last);
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
const RowMeter& Plan::meter(int row) const {
    return impl_->nodes[static_cast<std::size_t>(row)].meter;
}
int Plan::latency(int row) const {
    return impl_->nodes[static_cast<std::size_t>(row)].latency;
}
int Plan::latency() const {
    return impl_->main < 0 ? 0 : latency(impl_->main);
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

namespace {

// Builds the nodes of a plan, one row at a time.
class Compiler {
  public:
    Compiler(Plan::Impl& plan, AudioStore& store, const Progress& progress)
        : plan_(plan), store_(store), progress_(progress) {}

    void compileAll() {
        for (const Row& row : plan_.session.rows) {
            if (row.kind == RowKind::reference ||
                (row.kind == RowKind::guest && !plan_.options.withGuests))
                continue;
            const auto& only = plan_.options.onlyRows;
            if (!only.empty() && std::find(only.begin(), only.end(), row.id) == only.end())
                continue;
            rows_.push_back(&row);
        }
        plan_.nodes.resize(rows_.size());
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            report(progress_, static_cast<double>(i) / static_cast<double>(rows_.size()),
                   rows_[i]->name);
            makeNode(static_cast<int>(i));
        }
        for (std::size_t i = 0; i < rows_.size(); ++i) connect(static_cast<int>(i));
        order();
    }

  private:
    int find(std::string_view id) const {
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            if (rows_[i]->id == id) return static_cast<int>(i);
        }
        return -1;
    }

    void makeNode(int index) {
        const Row& row = *rows_[static_cast<std::size_t>(index)];
        Node& node = plan_.nodes[static_cast<std::size_t>(index)];
        const double rate = plan_.session.sampleRate;
        node.id = row.id;
        node.kind = row.kind;
        node.channels = channelCount(row);
        if (row.kind == RowKind::main) plan_.main = index;
        for (const Stage& stage : row.chain)
            node.stages.emplace_back(stage, ProcessSpec{rate, node.channels});
        const auto frames = static_cast<std::size_t>(plan_.options.maxBlocks) * kBlock;
        for (auto& out : node.out) out.assign(frames, 0.0F);
        if (hasSources(row.kind)) openSources(row, node, rate);
    }

    void openSources(const Row& row, Node& node, double rate) {
        std::vector<ClipSource::Part> parts;
        for (const Source& source : row.sources) {
            ClipSource::Part part{nullptr, source.channel,
                                  static_cast<Frames>(std::llround(source.offset * rate))};
            try {
                part.clip = store_.open(source.file, plan_.session.sampleRate, progress_);
                if (part.channel >= part.clip->channels()) {
                    throw Error("“" + source.file + "” has no channel " +
                                std::to_string(part.channel + 1) + "; choose another for “" +
                                row.name + "”.");
                }
                plan_.length = std::max(plan_.length, part.clip->frames() + part.offset);
            } catch (const Cancelled&) {
                throw;
            } catch (const Error& error) {
                plan_.problems.push_back(row.name + ": " + error.what());
                part.clip = nullptr;
            }
            parts.push_back(std::move(part));
        }
        const Stage& align = row.chain.front();
        node.alignOn = align.on;
        node.delayMs = align.values[Align::delay];
        node.source = std::make_unique<ClipSource>(
            std::move(parts), rate, align.on ? framesFromMs(node.delayMs, rate) : 0.0);
    }

    void connect(int index) {
        const Row& row = *rows_[static_cast<std::size_t>(index)];
        Node& node = plan_.nodes[static_cast<std::size_t>(index)];
        if (const int parent = find(row.parent); parent >= 0)
            plan_.nodes[static_cast<std::size_t>(parent)].inputs.push_back({index, {}});
        for (std::size_t s = 0; s < row.chain.size(); ++s) {
            const int key = row.chain[s].key.empty() ? -1 : find(row.chain[s].key);
            if (key < 0) continue;
            Node& other = plan_.nodes[static_cast<std::size_t>(key)];
            node.stages[s].keyRow = key;
            other.tapped = true;
            for (auto& tap : other.tap) tap.assign(node.out[0].size(), 0.0F);
        }
    }

    // Levels, latencies and the waits that make all inputs of a bus arrive together.
    void order() {
        std::vector<int> done(rows_.size(), -1);
        plan_.levels.assign(1, {});
        for (std::size_t i = 0; i < rows_.size(); ++i) settle(static_cast<int>(i), done);
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            const auto level = static_cast<std::size_t>(plan_.nodes[i].level);
            if (plan_.levels.size() <= level) plan_.levels.resize(level + 1);
            plan_.levels[level].push_back(static_cast<int>(i));
        }
    }

    void settle(int index, std::vector<int>& done) {
        if (done[static_cast<std::size_t>(index)] >= 0) return;
        done[static_cast<std::size_t>(index)] = 1;
        Node& node = plan_.nodes[static_cast<std::size_t>(index)];
        node.level = hasSources(node.kind) ? 0 : 1;
        int latest = 0;
        for (const Input& input : node.inputs) {
            settle(input.row, done);
            const Node& from = plan_.nodes[static_cast<std::size_t>(input.row)];
            latest = std::max(latest, from.latency);
            node.level = std::max(node.level, from.level + 1);
        }
        for (Input& input : node.inputs) {
            Node& from = plan_.nodes[static_cast<std::size_t>(input.row)];
            from.compensation = latest - from.latency;
            input.wait.prepare(2, from.compensation);
        }
        node.latency = latest;
        for (PlanStage& stage : node.stages) {
            if (stage.keyRow >= 0)
                stage.keyDelay.prepare(plan_.nodes[static_cast<std::size_t>(stage.keyRow)].channels,
                                       node.latency);
            node.latency += stage.latency();
        }
    }

    Plan::Impl& plan_;
    AudioStore& store_;
    const Progress& progress_;
    std::vector<const Row*> rows_;
};

}  // namespace

std::unique_ptr<Plan> compile(const Session& session, AudioStore& store, const PlanOptions& options,
                              const Progress& progress) {
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    auto impl = std::make_unique<Plan::Impl>();
    impl->session = session;
    impl->options = options;
    if (options.threads > 1) impl->arena = std::make_unique<tbb::task_arena>(options.threads);
    Compiler(*impl, store, progress).compileAll();
    impl->silence.assign(static_cast<std::size_t>(options.maxBlocks) * kBlock, 0.0F);
    for (Node& node : impl->nodes) {
        if (const Row* row = findRow(impl->session, node.id)) {
            node.seat().setAudible(audible(impl->session, *row));
            node.seat().reset();
        }
    }
    return std::unique_ptr<Plan>(new Plan(std::move(impl)));
}

}  // namespace ember
