// The inside of a compiled plan, shared by what compiles it and what runs it.
#pragma once

#include "core/base/error.h"
#include "core/dsp/align.h"
#include "core/dsp/seat.h"
#include "core/engine/plan.h"
#include "core/engine/plan_stage.h"

#include <oneapi/tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <cmath>

namespace ember {

struct Input {
    int row = 0;
    DelayLine wait;  // to the latest of the bus's inputs
};

// One row, ready to run.
struct Node {
    std::string id;
    std::uint64_t part = 0;  // the same in two plans: same row, same recordings
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
    double delayMs = 0.0, rightDelayMs = 0.0;  // the right side's own on top
    std::unique_ptr<MeterCells> meter;

    AudioBlock block(int b, int count) {
        return {{out[0].data() + b * kBlock, out[1].data() + b * kBlock}, count, kBlock};
    }
    // Frames by which align moves the recordings.
    [[nodiscard]] Frames moved(double sampleRate) const {
        return alignOn ? static_cast<Frames>(std::llround(framesFromMs(delayMs, sampleRate))) : 0;
    }
    [[nodiscard]] ClipSource::Delays delays(double sampleRate) const {
        if (!alignOn) return {};
        const double both = framesFromMs(delayMs, sampleRate);
        return {both, both + framesFromMs(rightDelayMs, sampleRate)};
    }
    Seat& seat() { return static_cast<Seat&>(stages.back().processor()); }
};

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
    TimeLine time;
    std::vector<float> silence;

    template <typename Work>
    void forEach(const std::vector<int>& rows, Work work);
    // --- The run loop (plan_run.cpp). Real-time safe with one thread.
    void run(std::span<const BlockPlay> blocks);
    // Goes on where another plan is, in whatever both hold alike (plan_adopt.cpp); says whether
    // every delay is filled by that. Real-time safe.
    bool adopt(const Impl& other);
    bool adopt(Node& node, const Node& before, const Impl& other);
    void runStage(Node& node, int row, int index, int b);
    void readSource(Node& node, int row, std::span<const BlockPlay> blocks);
    void sumInputs(Node& node, std::size_t blocks);
    void guard(Node& node, const AudioBlock& io);
    static void measure(Node& node, std::size_t blocks);
    void runChain(Node& node, int row, std::size_t blocks);

    void refreshAudible() {
        for (Node& node : nodes) {
            if (const Row* row = findRow(session, node.id))
                node.seat().setAudible(audible(session, *row));
        }
    }
};

}  // namespace ember
