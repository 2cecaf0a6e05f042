#include "core/engine/engine.h"

#include "core/dsp/smoother.h"
#include "core/engine/flush_to_zero.h"

#include <readerwriterqueue/readerwriterqueue.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <utility>

namespace ember {
namespace {

constexpr int kPlanFade = 960;  // frames
constexpr double kFar = 10.0;   // seconds: no plan waits longer for its beat
constexpr std::size_t kRetired = 256;
// Commands that one callback obeys at most; undoing a first pass over a whole kit brings hundreds.
constexpr int kCommands = 64;

struct Command {
    enum class Kind { plan, play, stop, seek, loop, move, audition, monitor, dim };
    Kind kind = Kind::play;
    Plan* plan = nullptr;
    std::uint32_t planNumber = 0;
    double rate = 0.0, value = 0.0;
    Frames from = 0, to = 0;
    bool on = false;
    PlanMove move;
    Audition audition;
};

// Keeps the monitor under its ceiling: gain falls at once and recovers in about 200 ms.
struct Ceiling {
    double gain = 1.0, recover = 1e-4;
    double top = gainFromDb(Engine::kCeilingDb);
    void apply(float& l, float& r) {
        const double peak =
            std::max(std::abs(static_cast<double>(l)), std::abs(static_cast<double>(r)));
        const double allowed = peak > top ? top / peak : 1.0;
        gain = std::min(allowed, gain + recover * (1.0 - gain));
        l *= static_cast<float>(gain);
        r *= static_cast<float>(gain);
    }
};

Frames onGrid(Frames frames) {
    return std::max<Frames>(0, frames) / kBlock * kBlock;
}

}  // namespace

struct Engine::Impl {
    moodycamel::ReaderWriterQueue<Command> commands{1024};
    moodycamel::ReaderWriterQueue<MeterFrame> meters{64};
    moodycamel::ReaderWriterQueue<Plan*> retired{kRetired};
    std::uint32_t lastNumber = 0;

    // Owned by the audio thread.
    Plan* plan = nullptr;
    Plan* leaving = nullptr;
    Plan* next = nullptr;  // waits until the fade between the two others is over
    std::uint32_t nextNumber = 0;
    Frames nextAt = -1;  // frame of the song with which it is to be heard; negative: at once
    double rate = 48000.0;
    std::optional<Audition> nextAudition;
    int leavingAt = 0;
    std::uint32_t planNumber = 0;
    bool playing = false, wasPlaying = false, jump = false;
    Frames position = 0, jumpFrom = 0;
    bool looping = false;
    Frames loopFrom = 0, loopTo = 0;
    double monitorDb = -24.0, matchDb = 0.0;
    bool dim = false;
    Smoother monitor;
    Ceiling ceiling;
    float ready[2][kBlock] = {};
    int readyAt = kBlock;
    MeterFrame frame;

    void aimMonitor() {
        monitor.aim(monitorDb <= -90.0 ? 0.0
                                       : gainFromDb(monitorDb + matchDb - (dim ? 12.0 : 0.0)));
    }

    void obey(const Command& c) {
        switch (c.kind) {
            case Command::Kind::plan:
                // A plan that nobody has heard yet makes room for a newer one.
                if (next != nullptr) retire(next);
                next = c.plan;
                nextNumber = c.planNumber;
                nextAt = c.from;
                rate = c.rate;
                monitor.prepare(c.rate);
                ceiling.recover = 1.0 - std::exp(-1.0 / (0.2 * c.rate));
                exchangeWhenDue();
                break;
            case Command::Kind::play:
                playing = true;
                break;
            case Command::Kind::stop:
                playing = false;
                break;
            case Command::Kind::seek:
                if (!jump) jumpFrom = position;
                jump = wasPlaying;
                position = c.from;
                break;
            case Command::Kind::loop:
                looping = c.on && c.to > c.from;
                loopFrom = c.from;
                loopTo = c.to;
                break;
            case Command::Kind::move:
                if (plan != nullptr && c.planNumber == planNumber) plan->move(c.move);
                if (next != nullptr && c.planNumber == nextNumber) next->move(c.move);
                break;
            case Command::Kind::audition:
                // Its places are those of the newest plan, which may still wait.
                if (next != nullptr && c.planNumber == nextNumber)
                    nextAudition = c.audition;
                else if (plan != nullptr)
                    plan->audition(c.audition);
                matchDb = c.value;
                break;
            case Command::Kind::monitor:
                monitorDb = c.value;
                break;
            case Command::Kind::dim:
                dim = c.on;
                break;
        }
        aimMonitor();
    }

    // Takes the next plan into service if its time has come with the block that follows.
    void exchangeWhenDue() {
        if (next == nullptr || leaving != nullptr) return;
        if (plan == nullptr || !playing || nextAt < 0) return exchange(0);
        // What is heard now was played a latency ago. It begins early enough to be filled by then.
        const Frames wait = nextAt + plan->latency() - position;
        const auto far = static_cast<Frames>(kFar * rate);
        if (wait < 0 || wait > far) return exchange(0);  // the transport went elsewhere
        if (wait < kBlock + next->longestLatency()) exchange(wait);
    }

    // The next plan takes over and goes on where the present one is; it is heard `wait` frames
    // later.
    void exchange(Frames wait) {
        leaving = plan;
        leavingAt = 0;
        plan = std::exchange(next, nullptr);
        planNumber = nextNumber;
        if (leaving == nullptr) return;
        // Nobody hears it before what is late in it has arrived.
        leavingAt = -static_cast<int>(std::max(wait, plan->adopt(*leaving)));
        if (nextAudition) plan->audition(*nextAudition);
        nextAudition.reset();
    }

    // Back to the control thread, which frees it. There is room: mayObey() sees to it.
    void retire(Plan* old) { retired.try_enqueue(old); }
    // A plan is not taken in while there might be no room to let one go.
    [[nodiscard]] bool mayObey(const Command& c) const {
        return c.kind != Command::Kind::plan || retired.size_approx() + 4 < kRetired;
    }

    BlockPlay nextBlock() {
        using Mode = BlockPlay::Mode;
        BlockPlay play{Mode::silent, position, jumpFrom};
        if (looping) {
            play.loopFrom = loopFrom;
            play.loopTo = loopTo;
        }
        if (playing) {
            // A song that starts at its very beginning is not faded in: live and offline agree.
            play.mode = wasPlaying ? (jump ? Mode::jump : Mode::play)
                                   : (position == 0 ? Mode::play : Mode::fadeIn);
            position += kBlock;
            jump = false;
            if (looping && play.position < loopTo && position >= loopTo) {
                jumpFrom = position;
                position = loopFrom;
                jump = true;
            }
        } else if (wasPlaying) {
            play.mode = Mode::fadeOut;
            if (jump) play.position = jumpFrom;
            jump = false;
        }
        wasPlaying = playing;
        return play;
    }

    void makeBlock() {
        exchangeWhenDue();
        const BlockPlay play = nextBlock();
        readyAt = 0;
        if (plan == nullptr) {
            for (auto& side : ready) std::fill_n(side, kBlock, 0.0F);
            return;
        }
        plan->run({&play, 1});
        for (int c = 0; c < 2; ++c) std::copy_n(plan->mainOutput(c), kBlock, ready[c]);
        frame.stoppedBlocks = plan->stoppedBlocks();
        if (leaving == nullptr) return;
        leaving->run({&play, 1});
        for (int i = 0; i < kBlock; ++i) {
            const double t = std::clamp(static_cast<double>(leavingAt + i) / kPlanFade, 0.0, 1.0);
            const auto weight = static_cast<float>(0.5 - 0.5 * std::cos(std::numbers::pi * t));
            for (int c = 0; c < 2; ++c)
                ready[c][i] = weight * ready[c][i] + (1.0F - weight) * leaving->mainOutput(c)[i];
        }
        leavingAt += kBlock;
        if (leavingAt < kPlanFade) return;
        retire(leaving);
        leaving = nullptr;
    }
};

Engine::Engine() : impl_(std::make_unique<Impl>()) {
    impl_->monitor.prepare(48000.0);
    impl_->monitor.jump(gainFromDb(impl_->monitorDb));
}

Engine::~Engine() {
    Command c;
    while (impl_->commands.try_dequeue(c)) {
        if (c.kind == Command::Kind::plan) delete c.plan;
    }
    collect();
    delete impl_->plan;
    delete impl_->leaving;
    delete impl_->next;
}

std::uint32_t Engine::setPlan(std::unique_ptr<Plan> plan, double sampleRate, Frames at) {
    Command c;
    c.from = at;
    c.kind = Command::Kind::plan;
    c.plan = plan.release();
    c.planNumber = ++impl_->lastNumber;
    c.rate = sampleRate;
    impl_->commands.enqueue(c);
    return c.planNumber;
}

void Engine::play() {
    Command c;
    c.kind = Command::Kind::play;
    impl_->commands.enqueue(c);
}

void Engine::stop() {
    Command c;
    c.kind = Command::Kind::stop;
    impl_->commands.enqueue(c);
}

void Engine::seek(Frames position) {
    Command c;
    c.kind = Command::Kind::seek;
    c.from = onGrid(position);
    impl_->commands.enqueue(c);
}

void Engine::setLoop(bool on, Frames from, Frames to) {
    Command c;
    c.kind = Command::Kind::loop;
    c.on = on;
    c.from = onGrid(from);
    c.to = onGrid(to + kBlock - 1);
    impl_->commands.enqueue(c);
}

void Engine::move(const PlanMove& move) {
    Command c;
    c.kind = Command::Kind::move;
    c.move = move;
    c.planNumber = impl_->lastNumber;
    impl_->commands.enqueue(c);
}

void Engine::audition(const Audition& audition, double monitorGainDb) {
    Command c;
    c.kind = Command::Kind::audition;
    c.audition = audition;
    c.planNumber = impl_->lastNumber;
    c.value = monitorGainDb;
    impl_->commands.enqueue(c);
}

void Engine::setMonitorDb(double db) {
    Command c;
    c.kind = Command::Kind::monitor;
    c.value = db;
    impl_->commands.enqueue(c);
}

void Engine::setDim(bool dim) {
    Command c;
    c.kind = Command::Kind::dim;
    c.on = dim;
    impl_->commands.enqueue(c);
}

bool Engine::poll(MeterFrame& frame) {
    return impl_->meters.try_dequeue(frame);
}

void Engine::collect() {
    Plan* old = nullptr;
    while (impl_->retired.try_dequeue(old)) delete old;
}

void Engine::process(float* left, float* right, int frames) {
    const FlushToZero ftz;
    Impl& e = *impl_;
    for (int n = 0; n < kCommands; ++n) {
        const Command* c = e.commands.peek();
        if (c == nullptr || !e.mayObey(*c)) break;
        e.obey(*c);
        e.commands.pop();
    }
    for (int done = 0; done < frames;) {
        if (e.readyAt == kBlock) e.makeBlock();
        const int count = std::min(frames - done, kBlock - e.readyAt);
        for (int i = 0; i < count; ++i, ++done, ++e.readyAt) {
            const auto gain = static_cast<float>(e.monitor.next());
            left[done] = e.ready[0][e.readyAt] * gain;
            right[done] = e.ready[1][e.readyAt] * gain;
            e.ceiling.apply(left[done], right[done]);
            e.frame.monitorPeak[0] = std::max(e.frame.monitorPeak[0], std::abs(left[done]));
            e.frame.monitorPeak[1] = std::max(e.frame.monitorPeak[1], std::abs(right[done]));
            e.frame.monitorMeanSquare += (left[done] * left[done] + right[done] * right[done]) /
                                         static_cast<float>(2 * frames);
        }
    }
    e.frame.position = std::max<Frames>(
        0, e.position - (kBlock - e.readyAt) - (e.plan != nullptr ? e.plan->latency() : 0));
    e.frame.playing = e.playing;
    e.frame.plan = e.planNumber;
    if (e.meters.try_enqueue(e.frame)) e.frame = MeterFrame{};
}

}  // namespace ember
