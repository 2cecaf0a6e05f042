#include "core/engine/engine.h"

#include "core/base/error.h"
#include "core/dsp/smoother.h"
#include "core/engine/flush_to_zero.h"
#include "core/engine/later_moves.h"
#include "core/engine/residents.h"

#include <readerwriterqueue/readerwriterqueue.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace ember {
namespace {

constexpr std::size_t kRetired = 256;
// Commands that one callback obeys at most; undoing a first pass over a whole kit brings hundreds.
constexpr int kCommands = 64;
// Who plays along may be this early, in seconds.
constexpr double kUpbeat = 0.25;

struct Command {
    enum class Kind {
        plan,
        keep,
        drop,
        listen,
        play,
        stop,
        seek,
        loop,
        move,
        strike,
        audition,
        click,
        monitor,
        dim
    };
    Kind kind = Kind::play;
    Plan* plan = nullptr;
    std::uint32_t planNumber = 0;
    double rate = 0.0, value = 0.0;
    Frames from = 0, to = 0;  // `from` alone: a place
    bool on = false;
    PlanMove move;
    Strike strike;
    std::uint32_t number = 0;  // of the strike; 0: nobody asks when it was
    Audition audition;
    PlanTime time;
    Listen listen;
};

// Keeps the monitor under its ceiling: gain falls at once and recovers in about 200 ms.
struct MonitorCeiling {
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

struct Engine::Impl : Retired {
    moodycamel::ReaderWriterQueue<Command> commands{1024};
    moodycamel::ReaderWriterQueue<MeterFrame> meters{64};
    moodycamel::ReaderWriterQueue<Plan*> retired{kRetired};
    moodycamel::ReaderWriterQueue<Struck> struck{256};
    // Owned by the control thread.
    std::uint32_t lastNumber = 0, sessionNumber = 0, lastStrike = 0;
    int kept = 0;

    // Owned by the audio thread.
    Residents plans{*this};
    LaterMoves later;
    double rate = 48000.0;
    bool playing = false, wasPlaying = false, jump = false;
    Frames position = 0, jumpFrom = 0;
    bool looping = false;
    Frames loopFrom = 0, loopTo = 0;
    Frames counting = 0;   // until a song that is counted in begins
    Frames sinceJump = 0;  // played since it began or was moved; loops do not count
    Click click;
    double clickRate = 0.0;
    double monitorDb = -24.0;
    bool dim = false;
    Smoother monitor;
    MonitorCeiling ceiling;
    float ready[2][kBlock] = {};
    int readyAt = kBlock;
    MeterFrame frame;

    void aimMonitor() {
        monitor.aim(monitorDb <= -90.0 ? 0.0 : gainFromDb(monitorDb - (dim ? 12.0 : 0.0)));
    }

    void obey(const Command& c) {
        switch (c.kind) {
            case Command::Kind::plan:
                setRate(c.rate);
                plans.setNext(c.plan, c.planNumber);
                break;
            case Command::Kind::keep:
                setRate(c.rate);
                plans.keep(c.plan, c.planNumber, c.time);
                break;
            case Command::Kind::drop:
                plans.drop(c.planNumber);
                break;
            case Command::Kind::listen:
                plans.listen(c.listen);
                break;
            case Command::Kind::play:
                counting = playing ? 0 : c.from;
                playing = counting == 0;
                break;
            case Command::Kind::stop:
                playing = false;
                counting = 0;
                break;
            case Command::Kind::seek:
                if (!jump) jumpFrom = position;
                jump = wasPlaying;
                position = c.from;
                sinceJump = 0;
                later.hurry();
                break;
            case Command::Kind::loop:
                looping = c.on && c.to > c.from;
                loopFrom = c.from;
                loopTo = c.to;
                break;
            case Command::Kind::move:
                move(c.move, c.planNumber, c.from);
                break;
            case Command::Kind::strike:
                strike(c);
                break;
            case Command::Kind::audition:
                if (Plan* plan = plans.find(c.planNumber); plan != nullptr)
                    plan->audition(c.audition);
                break;
            case Command::Kind::click:
                click.setOn(c.on);
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

    [[nodiscard]] SongPlace place() const {
        SongPlace now{position, playing, rate};
        if (looping) {
            now.loopFrom = loopFrom;
            now.loopTo = loopTo;
        }
        return now;
    }

    // At once, or when the song comes there; what is late in a row is moved that much later.
    void move(const PlanMove& what, std::uint32_t number, Frames at) {
        later.forget(what, number);
        Plan* plan = plans.find(number);
        if (plan == nullptr) return;
        const std::optional<Frames> until = place().until(at);
        if (!until || !later.add({what, number, *until + plan->latency(what.row)}))
            plan->move(what);
    }

    void strike(const Command& c) {
        if (Plan* plan = plans.find(c.planNumber); plan != nullptr)
            plan->strike(c.strike.row, c.strike.velocity, c.strike.articulation);
        const bool aboutTo = counting > 0 && counting < static_cast<Frames>(kUpbeat * rate);
        if (c.number != 0) struck.try_enqueue({c.number, heardAt(), playing || aboutTo});
    }

    // Where in the song stands what is heard.
    [[nodiscard]] Frames heardAt() const {
        return std::max<Frames>(0, position - counting - (kBlock - readyAt) - plans.late());
    }

    // The click belongs to what is heard, which is late by what the plan is.
    void addClick(const BlockPlay& play) {
        const Plan* plan = plans.find(plans.session());
        const bool runs = play.mode != BlockPlay::Mode::silent || counting > 0;
        if (plan == nullptr || !runs || (!click.on() && counting == 0))
            return click.ring(ready[0], ready[1]);
        Frames heard = play.position - counting - plans.late();
        // What is heard at the beginning of a loop is still its end.
        const bool round = looping && sinceJump > plans.late() && play.position < loopTo;
        if (round && play.position >= loopFrom && heard < loopFrom) heard += loopTo - loopFrom;
        click.add(plan->beats(), heard, ready[0], ready[1]);
    }

    void moveWhenDue() {
        if (!playing) later.hurry();
        later.block([this](const LaterMoves::Later& l) {
            if (Plan* plan = plans.find(l.plan); plan != nullptr) plan->move(l.move);
        });
    }

    void setRate(double to) {
        rate = to;
        monitor.prepare(to);
        if (to != clickRate) click.prepare(clickRate = to);
        ceiling.recover = 1.0 - std::exp(-1.0 / (0.2 * to));
    }

    // Back to the control thread, which frees it. There is room: mayObey() sees to it.
    void take(Plan* plan) override { retired.try_enqueue(plan); }
    // A plan is not taken in while there might be no room to let one go, or none to keep it.
    [[nodiscard]] bool mayObey(const Command& c) const {
        if (c.kind != Command::Kind::plan && c.kind != Command::Kind::keep) return true;
        return retired.size_approx() + 4 + kMostKept < kRetired &&
               (c.kind == Command::Kind::plan || plans.mayKeep());
    }

    BlockPlay nextBlock() {
        using Mode = BlockPlay::Mode;
        BlockPlay play{Mode::silent, position, jumpFrom};
        if (looping) {
            play.loopFrom = loopFrom;
            play.loopTo = loopTo;
        }
        if (playing) {
            sinceJump = wasPlaying ? sinceJump + kBlock : 0;
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
        moveWhenDue();
        plans.prepareBlock(place());
        const BlockPlay play = nextBlock();
        plans.run(play, ready[0], ready[1]);
        addClick(play);
        readyAt = 0;
        if (counting > 0) {
            counting = std::max<Frames>(0, counting - kBlock);
            playing = counting == 0;
        }
    }
};

Engine::Engine() : impl_(std::make_unique<Impl>()) {
    impl_->monitor.prepare(48000.0);
    impl_->monitor.jump(gainFromDb(impl_->monitorDb));
}

Engine::~Engine() {
    Command c;
    while (impl_->commands.try_dequeue(c)) {
        if (c.kind == Command::Kind::plan || c.kind == Command::Kind::keep) delete c.plan;
    }
    collect();
}

std::uint32_t Engine::setPlan(std::unique_ptr<Plan> plan, double sampleRate) {
    Command c;
    c.kind = Command::Kind::plan;
    c.plan = plan.release();
    c.planNumber = impl_->sessionNumber = ++impl_->lastNumber;
    c.rate = sampleRate;
    impl_->commands.enqueue(c);
    return c.planNumber;
}

std::uint32_t Engine::keep(std::unique_ptr<Plan> plan, double sampleRate, const PlanTime& time) {
    if (impl_->kept == kMostKept)
        throw Error("Eight mixes are kept to compare with already; let one of them go first.");
    ++impl_->kept;
    Command c;
    c.kind = Command::Kind::keep;
    c.plan = plan.release();
    c.planNumber = ++impl_->lastNumber;
    c.rate = sampleRate;
    c.time = {time.offset / kBlock * kBlock, onGrid(time.loopFrom),
              onGrid(time.loopTo + kBlock - 1)};
    impl_->commands.enqueue(c);
    return c.planNumber;
}

void Engine::drop(std::uint32_t plan) {
    --impl_->kept;
    Command c;
    c.kind = Command::Kind::drop;
    c.planNumber = plan;
    impl_->commands.enqueue(c);
}

void Engine::listen(const Listen& what) {
    Command c;
    c.kind = Command::Kind::listen;
    c.listen = what;
    impl_->commands.enqueue(c);
}

void Engine::play(Frames countIn) {
    Command c;
    c.kind = Command::Kind::play;
    c.from = onGrid(countIn + kBlock - 1);
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

void Engine::move(const PlanMove& move, std::uint32_t plan, Frames at) {
    Command c;
    c.kind = Command::Kind::move;
    c.move = move;
    c.from = at;
    c.planNumber = plan != 0 ? plan : impl_->sessionNumber;
    impl_->commands.enqueue(c);
}

void Engine::audition(const Audition& audition, std::uint32_t plan) {
    Command c;
    c.kind = Command::Kind::audition;
    c.audition = audition;
    c.planNumber = plan;
    impl_->commands.enqueue(c);
}

std::uint32_t Engine::strike(const Strike& strike, std::uint32_t plan) {
    Command c;
    c.kind = Command::Kind::strike;
    c.strike = strike;
    c.planNumber = plan != 0 ? plan : impl_->sessionNumber;
    if (c.planNumber == impl_->sessionNumber) c.number = ++impl_->lastStrike;
    impl_->commands.enqueue(c);
    return c.number;
}

bool Engine::pollStruck(Struck& struck) {
    return impl_->struck.try_dequeue(struck);
}

void Engine::setClick(bool on) {
    Command c;
    c.kind = Command::Kind::click;
    c.on = on;
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
    e.frame.position = e.heardAt();
    e.frame.playing = e.playing;
    e.frame.plan = e.plans.session();
    e.frame.heard = e.plans.heard();
    e.frame.stoppedBlocks = e.plans.stoppedBlocks();
    if (e.meters.try_enqueue(e.frame)) e.frame = MeterFrame{};
}

}  // namespace ember
