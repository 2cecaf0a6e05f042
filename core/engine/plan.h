// The compiled plan: what the audio thread runs.
//
// compile() turns a session into an immutable order of operations with every buffer,
// filter and delay line allocated. Rows of one level are independent of each other;
// every path into a bus is delayed to the latest one, so all of them arrive together: rows, buses
// and sends alike.
// The sum of a bus is taken in the session's order and does not depend on threads.
#pragma once

#include "core/audio/store.h"
#include "core/engine/click.h"
#include "core/engine/curve_reader.h"
#include "core/engine/meter.h"
#include "core/engine/row_source.h"
#include "core/session/diff.h"
#include "core/session/session.h"

#include <functional>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace ember {

// A stage's work as it happens, for traces and stems. Offline only.
class PlanObserver {
  public:
    virtual ~PlanObserver() = default;
    // After stage `stage` of row `row` in block number `block` of the run. `on` is false when it
    // was passed by.
    virtual void stageDone(int row, int stage, int block, const AudioBlock& before,
                           const AudioBlock& after, const Processor& processor, bool on) = 0;
};

struct PlanOptions {
    int maxBlocks = 1;  // blocks per run at most
    int threads = 1;    // more than one spreads rows over a thread pool
    bool withGuests = true;
    // When not empty: these rows and nothing else. References are played only where they are named.
    std::vector<std::string> onlyRows;
    // Sees every stage work: nothing plays its print.
    PlanObserver* observer = nullptr;
    // What is heard in nothing but buses that play their prints does not run; its outputs stay
    // silent.
    bool rest = false;
};

// A Move with names resolved to places in a plan.
struct PlanMove {
    Move::Kind kind = Move::Kind::value;
    int row = 0, stage = 0, parameter = 0;  // `stage`: place in the chain, or among the sends
    double value = 0.0;
};

// A stage of a chain by its place, as a set of one; of the first 64.
constexpr std::uint64_t stageBit(int place) {
    return place >= 0 && place < 64 ? std::uint64_t{1} << static_cast<unsigned>(place) : 0;
}

// Passes stages by for a comparison, at a gain that matches loudness. No stages named: all
// processors between align and seat of the row; row -1: of every row.
struct Audition {
    bool active = false;
    int row = -1;
    std::uint64_t stages = 0;  // stageBit() of each
    double gainDb = 0.0;       // added to the untouched signal, behind the last of them
};

class Plan {
  public:
    ~Plan();
    Plan(const Plan&) = delete;
    Plan& operator=(const Plan&) = delete;

    // Runs up to maxBlocks blocks of kBlock frames. Real-time safe when compiled for one thread.
    void run(std::span<const BlockPlay> blocks);
    // Goes on where another plan of the same session, edited since, is: whatever both hold alike
    // keeps its sound. Returns how many frames it has to play before all that is late in it is
    // there. Real-time safe; both must rest.
    Frames adopt(const Plan& other);
    // Real-time safe.
    void move(const PlanMove& move);
    void audition(const Audition& audition);
    // Strikes a row's layers by hand (pads.h); other rows hear nothing of it.
    void strike(int row, double velocity, int articulation);

    [[nodiscard]] int rowCount() const;
    [[nodiscard]] int rowIndex(std::string_view id) const;  // -1 when not in the plan
    [[nodiscard]] const std::string& rowId(int row) const;
    // Output of a row in the last run; channel 0 or 1.
    [[nodiscard]] const float* output(int row, int channel) const;
    // Output of the main row; silence when the plan has none.
    [[nodiscard]] const float* mainOutput(int channel) const;
    // What a row did since this was last asked. Any one thread beside the one that runs the plan.
    void takeMeter(int row, RowMeter& meter);
    // Frames by which a row's output is late against song time.
    [[nodiscard]] int latency(int row) const;
    [[nodiscard]] int latency() const;  // of main
    [[nodiscard]] int longestLatency() const;
    // What a row gives: what its chain makes, its print, or nothing, because nothing hears it
    // (PlanOptions::rest).
    enum class Gives { live, print, nothing };
    [[nodiscard]] Gives gives(int row) const;
    // What feeds a row, in the order in which it is summed.
    struct Input {
        int from = 0;                    // row
        bool before = false;             // taken before its fader
        double left = 1.0, right = 1.0;  // gain of its sides, once nothing moves
        int wait = 0;                    // frames until the latest is there
        bool send = false;               // beside the row's way to its bus
    };
    [[nodiscard]] std::vector<Input> inputs(int row) const;
    // What curves made of an input's side in the last block of the last run, a gain a frame; null
    // where none moves it.
    [[nodiscard]] const float* followed(int row, std::size_t input, int channel) const;
    // What moves the parameters of a stage, as it was in the last block.
    [[nodiscard]] std::span<const CurveReader> curves(int row, int stage) const;
    // What a row's chain gave its fader in the last run; only where a send takes it there.
    [[nodiscard]] const float* beforeFader(int row, int channel) const;
    // The longest recording's end in song time.
    [[nodiscard]] Frames length() const;
    // Of the song, to some time behind its end.
    [[nodiscard]] std::span<const Beat> beats() const;
    [[nodiscard]] double sampleRate() const;
    // NaN or infinite blocks that were stopped at their row since the start.
    [[nodiscard]] std::int64_t stoppedBlocks() const;
    // Recordings that could not be opened, one sentence each; their rows are silent.
    [[nodiscard]] const std::vector<std::string>& problems() const;
    // Asks that the recordings around [from, to) be in memory. Any thread but the audio thread.
    void prefetch(Frames from, Frames to) const;
    // Keeps the recordings there in memory as far as the system allows, the first ones before the
    // others, until it is told otherwise. One thread at a time, not the audio thread.
    void hold(std::span<const FrameSpan> song) const;

    struct Impl;

  private:
    explicit Plan(std::unique_ptr<Impl> impl);
    friend std::unique_ptr<Plan> compile(const Session&, AudioStore&, const PlanOptions&,
                                         const Progress&);
    std::unique_ptr<Impl> impl_;
};

// Throws Error when the session is not sound; missing recordings are problems(), not errors.
std::unique_ptr<Plan> compile(const Session& session, AudioStore& store,
                              const PlanOptions& options = {}, const Progress& progress = {});

// Whether a row is heard, given mutes and solos (a soloed row opens all that feeds it and all that
// it feeds; main and references are not closed by it).
bool audible(const Session& session, const Row& row);

}  // namespace ember
