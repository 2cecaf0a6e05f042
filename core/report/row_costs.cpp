#include "core/report/row_costs.h"

#include "core/engine/plan.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace ember {
namespace {

using Clock = std::chrono::steady_clock;

// Gives the time since the last stage was done to the row whose stage is done now.
class StopWatch : public PlanObserver {
  public:
    void stageDone(int row, int, int, const AudioBlock&, const AudioBlock&, const Processor&,
                   bool) override {
        const auto now = Clock::now();
        spent[static_cast<std::size_t>(row)] += std::chrono::duration<double>(now - since_).count();
        since_ = now;
    }
    void start() { since_ = Clock::now(); }
    std::vector<double> spent;  // seconds, by row of the plan

  private:
    Clock::time_point since_;
};

}  // namespace

std::vector<RowCost> rowCosts(const Session& session, AudioStore& store, double from,
                              double seconds, const Progress& progress) {
    constexpr int kBlocksAtOnce = 8;
    StopWatch watch;
    const auto plan = compile(session, store, {kBlocksAtOnce, 1, true, {}, &watch}, progress);
    watch.spent.assign(static_cast<std::size_t>(plan->rowCount()), 0.0);
    const double rate = session.sampleRate;
    const auto begin = static_cast<Frames>(std::max(0.0, from) * rate) / kBlock * kBlock;
    const auto frames = static_cast<Frames>(std::max(0.1, seconds) * rate);
    std::vector<BlockPlay> blocks(kBlocksAtOnce);
    for (Frames at = 0; at < frames; at += kBlocksAtOnce * kBlock) {
        for (int b = 0; b < kBlocksAtOnce; ++b)
            blocks[static_cast<std::size_t>(b)] = {BlockPlay::Mode::play, begin + at + b * kBlock,
                                                   0};
        watch.start();
        plan->run(blocks);
        report(progress, static_cast<double>(at) / static_cast<double>(frames), "Timing every row");
    }
    std::vector<RowCost> out;
    for (const Row& row : session.rows) {
        const int place = plan->rowIndex(row.id);
        if (place >= 0)
            out.push_back({row.id, watch.spent[static_cast<std::size_t>(place)] * rate /
                                       static_cast<double>(frames)});
    }
    return out;
}

}  // namespace ember
