// The inside of a compiled plan, shared by what compiles it and what runs it.
#pragma once

#include "core/base/error.h"
#include "core/dsp/align.h"
#include "core/dsp/seat.h"
#include "core/engine/plan.h"
#include "core/engine/plan_edge.h"
#include "core/engine/plan_stage.h"

#include <oneapi/tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <cmath>

namespace ember {

// A place among a row's inputs; row -1: none.
struct Place {
    int row = -1;
    std::size_t input = 0;
};

// One row, ready to run.
struct Node {
    std::string id;
    std::size_t row = 0;     // in the session
    std::uint64_t part = 0;  // the same in two plans: same row, same recordings
    RowKind kind = RowKind::element;
    int channels = 1;
    // 0: what waits for nobody; a bus stands above all that feeds it, and what listens to a bus
    // above that bus.
    int level = 0;
    std::unique_ptr<RowSource> source;
    // What it plays in place of its sound and its chain up to the seat, which then do not run; its
    // sound does as far as somebody listens to it.
    std::unique_ptr<RowSource> print;
    bool awake = true;     // it runs
    bool listened = true;  // or its sound is read at least, for what listens to it
    std::vector<PlanEdge> inputs;
    std::vector<PlanEdge> keyInputs;  // heard only by what listens to the row
    std::vector<Place> sends;         // where the row's sends come in, in their order
    std::vector<PlanStage> stages;
    std::vector<float> out[2];
    // Where another row listens to it: a recording after align, or what a bus is fed.
    std::vector<float> tap[2];
    bool tapped = false;
    std::vector<float> beforeFader[2];  // where a send takes it
    bool takenBefore = false;
    int tapLatency = 0, latency = 0;
    int bleed = -1;               // place of the stage whose work its source does, or -1
    std::vector<float> plain[2];  // behind align without that work; only where it is observed
    bool alignOn = true;
    double delayMs = 0.0, rightDelayMs = 0.0;  // the right side's own on top
    std::unique_ptr<MeterCells> meter;

    AudioBlock block(int b, int count) {
        return {{out[0].data() + b * kBlock, out[1].data() + b * kBlock}, count, kBlock};
    }
    template <typename Work>
    void eachInput(Work work) {
        std::for_each(inputs.begin(), inputs.end(), work);
        std::for_each(keyInputs.begin(), keyInputs.end(), work);
    }
    [[nodiscard]] bool reads() const { return !print || tapped; }
    // Keeps what is in block `b` now.
    void keep(int b, int count, std::vector<float> (&into)[2]) const {
        for (int c = 0; c < count; ++c)
            std::copy_n(out[c].data() + b * kBlock, kBlock, into[c].data() + b * kBlock);
    }
    // Frames by which align moves the recordings.
    [[nodiscard]] Frames moved(double sampleRate) const {
        return alignOn ? static_cast<Frames>(std::llround(framesFromMs(delayMs, sampleRate))) : 0;
    }
    [[nodiscard]] RowSource::Delays delays(double sampleRate) const {
        if (!alignOn) return {};
        const double both = framesFromMs(delayMs, sampleRate);
        return {both, both + framesFromMs(rightDelayMs, sampleRate)};
    }
    Seat& seat() { return static_cast<Seat&>(stages.back().processor()); }
};

struct Plan::Impl {
    Session session;  // names, mutes and solos as the plan was compiled or moved since
    std::vector<std::vector<char>> leads;  // leadsTo() between rows of the session, by place
    struct Listener {
        std::size_t bus = 0, row = 0;  // by place in the session
    };
    std::vector<Listener> listeners;  // rows with a stage that listens to a bus
    PlanOptions options;
    std::vector<Node> nodes;
    std::vector<int> sources;              // rows that play recordings
    std::vector<std::vector<int>> levels;  // all rows
    int main = -1;
    Frames length = 0;
    std::vector<Beat> beats;
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
    bool adopt(std::vector<PlanEdge>& edges, const std::vector<PlanEdge>& before,
               const Impl& other);
    void runStage(Node& node, int row, int index, int b);
    void readSource(Node& node, int row, std::span<const BlockPlay> blocks);
    void sumInputs(Node& node, std::size_t blocks);
    void add(PlanEdge& edge, std::size_t b, const AudioBlock& sum);
    void guard(Node& node, const AudioBlock& io);
    static void measure(Node& node, std::size_t blocks);
    void runChain(Node& node, int row, std::size_t blocks);

    // Real-time safe: what leads where is known since the plan was compiled.
    void refreshAudible();
};

}  // namespace ember
