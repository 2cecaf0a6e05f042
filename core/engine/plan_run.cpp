// What a compiled plan does with a run of blocks: sources first, then level by level up to main.

#include "core/engine/flush_to_zero.h"
#include "core/engine/plan_impl.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <numeric>

namespace ember {
namespace {

// Sums kept side by side: one alone would wait for its last addition at every sample.
constexpr int kSums = 8;

}  // namespace

template <typename Work>
void Plan::Impl::forEach(const std::vector<int>& rows, Work work) {
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

void Plan::Impl::run(std::span<const BlockPlay> blocks) {
    time.begin(blocks);
    forEach(sources, [&](Node& node, int row) { readSource(node, row, blocks); });
    for (const std::vector<int>& level : levels) {
        forEach(level, [&](Node& node, int row) {
            if (!node.source && node.reads()) sumInputs(node, blocks.size());
            runChain(node, row, blocks.size());
        });
    }
}

void Plan::Impl::runStage(Node& node, int row, int index, int b) {
    PlanStage& stage = node.stages[static_cast<std::size_t>(index)];
    const bool isSeat = index + 1 == static_cast<int>(node.stages.size());
    const AudioBlock io = node.block(b, isSeat ? 2 : node.channels);
    float before[2][kBlock];
    if (options.observer != nullptr) {
        const bool done = index == node.bleed && !node.plain[0].empty();
        for (int c = 0; c < node.channels; ++c)
            std::copy_n(done ? node.plain[c].data() + b * kBlock : io.channel[c], kBlock,
                        before[c]);
    }
    if (stage.keyRow >= 0) {
        Node& other = nodes[static_cast<std::size_t>(stage.keyRow)];
        float copy[2][kBlock];
        const AudioBlock key{{copy[0], copy[1]}, other.channels, kBlock};
        for (int c = 0; c < other.channels; ++c)
            std::copy_n(other.tap[c].data() + b * kBlock, kBlock, copy[c]);
        stage.keyDelay.process(key);
        stage.wait.process({{io.channel[0], io.channel[1]}, node.channels, kBlock});
        stage.process(io, &key, time, b, node.moved(session.sampleRate));
    } else {
        stage.process(io, nullptr, time, b, node.moved(session.sampleRate));
    }
    if (stage.active())
        node.meter->raise(static_cast<std::size_t>(index), stage.processor().reading());
    if (options.observer != nullptr)
        options.observer->stageDone(row, index, b, {{before[0], before[1]}, node.channels, kBlock},
                                    io, stage.processor(), stage.active());
}

void Plan::Impl::readSource(Node& node, int row, std::span<const BlockPlay> blocks) {
    if (node.bleed >= 0)
        node.source->hearGains(node.stages[static_cast<std::size_t>(node.bleed)].heard());
    for (std::size_t b = 0; node.reads() && b < blocks.size(); ++b) {
        const int at = static_cast<int>(b);
        node.source->read(blocks[b], node.block(at, node.channels));
        runStage(node, row, 0, at);
        if (!node.plain[0].empty()) {
            const AudioBlock plain{
                {node.plain[0].data() + at * kBlock, node.plain[1].data() + at * kBlock},
                node.channels,
                kBlock};
            node.source->readPlain(blocks[b].position, plain);
            node.stages.front().processor().process(plain, plain);
        }
        if (node.tapped) node.keep(at, node.channels, node.tap);
    }
}

void Plan::Impl::add(PlanEdge& edge, std::size_t b, const AudioBlock& sum) {
    const Node& from = nodes[static_cast<std::size_t>(edge.from())];
    const auto& sides = edge.before() ? from.beforeFader : from.out;
    edge.add(sides[0].data() + b * kBlock, sides[1].data() + b * kBlock, sum, time,
             static_cast<int>(b));
}

void Plan::Impl::sumInputs(Node& node, std::size_t blocks) {
    for (std::size_t b = 0; b < blocks; ++b) {
        const AudioBlock io = node.block(static_cast<int>(b), 2);
        for (int c = 0; c < 2; ++c) std::fill_n(io.channel[c], kBlock, 0.0F);
        for (PlanEdge& edge : node.inputs) add(edge, b, io);
        if (!node.tapped) continue;
        node.keep(static_cast<int>(b), 2, node.tap);
        const AudioBlock tap{
            {node.tap[0].data() + b * kBlock, node.tap[1].data() + b * kBlock}, 2, kBlock};
        for (PlanEdge& edge : node.keyInputs) add(edge, b, tap);
    }
}

// A NaN or infinity stops here: the block is silenced and the row starts afresh.
void Plan::Impl::guard(Node& node, const AudioBlock& io) {
    float probe[kSums] = {};
    for (int c = 0; c < 2; ++c) {
        for (int i = 0; i < kBlock; i += kSums) {
            for (int k = 0; k < kSums; ++k) probe[k] += io.channel[c][i + k] * 0.0F;
        }
    }
    if (std::accumulate(std::begin(probe), std::end(probe), 0.0F) == 0.0F) return;
    for (int c = 0; c < 2; ++c) std::fill_n(io.channel[c], kBlock, 0.0F);
    for (auto& side : node.beforeFader) std::fill(side.begin(), side.end(), 0.0F);
    for (PlanStage& stage : node.stages) stage.processor().reset();
    stopped.fetch_add(1, std::memory_order_relaxed);
}

void Plan::Impl::measure(Node& node, std::size_t blocks) {
    const std::size_t frames = blocks * kBlock;
    for (int c = 0; c < 2; ++c) {
        const float* out = node.out[c].data();
        float peak[kSums] = {}, energy[kSums] = {};
        for (std::size_t i = 0; i < frames; i += kSums) {
            for (std::size_t k = 0; k < std::size(peak); ++k) {
                peak[k] = std::max(peak[k], std::abs(out[i + k]));
                energy[k] += out[i + k] * out[i + k];
            }
        }
        node.meter->raise(c, *std::max_element(std::begin(peak), std::end(peak)),
                          std::accumulate(std::begin(energy), std::end(energy), 0.0F) /
                              static_cast<float>(frames));
    }
}

void Plan::Impl::runChain(Node& node, int row, std::size_t blocks) {
    const int seat = static_cast<int>(node.stages.size()) - 1;
    const int first = node.print ? seat : node.source ? 1 : 0;
    for (std::size_t b = 0; b < blocks; ++b) {
        const int at = static_cast<int>(b);
        if (node.print) node.print->read(time.at(at), node.block(at, node.channels));
        for (int s = first; s < seat; ++s) runStage(node, row, s, at);
        if (node.takenBefore) {
            node.keep(at, node.channels, node.beforeFader);
            if (node.channels == 1)
                std::copy_n(node.beforeFader[0].data() + at * kBlock, kBlock,
                            node.beforeFader[1].data() + at * kBlock);
        }
        runStage(node, row, seat, at);
        guard(node, node.block(static_cast<int>(b), 2));
    }
    measure(node, blocks);
}

}  // namespace ember
