#include "core/engine/engine.h"

#include "core/base/units.h"
#include "core/dsp/equaliser.h"
#include "core/engine/render.h"
#include "core/engine/trace.h"
#include "demo/mix.h"
#include "devices/simulated_device.h"
#include "tests/support/accuracy.h"
#include "tests/support/allocation_guard.h"
#include "tests/support/support.h"

#include <chrono>
#include <cmath>
#include <thread>

namespace ember {
namespace {

Session session() {
    return demo::demoMix(test::shortSession());
}

// Both sides of `frames` frames, asked for in blocks of `block`.
std::array<std::vector<float>, 2> play(Engine& engine, int frames, int block) {
    std::array<std::vector<float>, 2> out{std::vector<float>(static_cast<std::size_t>(frames)),
                                          std::vector<float>(static_cast<std::size_t>(frames))};
    for (int at = 0; at < frames; at += block)
        engine.process(out[0].data() + at, out[1].data() + at, std::min(block, frames - at));
    return out;
}

std::vector<float> playLeft(Engine& engine, int frames) {
    return std::move(play(engine, frames, 240)[0]);
}

void openMonitor(Engine& engine) {
    engine.setMonitorDb(0.0);
    play(engine, 48000, 480);  // the monitor glides to unity before anything plays
}

TEST(Engine, LiveHoldsTheSamplesOfTheRender) {
    const Session s = session();
    RenderOptions options;
    options.withGuests = true;
    const AudioBuffer wanted = renderMix(s, test::sharedStore(), options);
    // The render leaves out the latency at its beginning; live it is heard as silence.
    const auto plan = compile(s, test::sharedStore());
    const int late = plan->latency();
    Engine engine;
    engine.setPlan(compile(s, test::sharedStore()), 48000.0);
    openMonitor(engine);
    engine.play();
    SimulatedOptions device;
    device.block = 96;
    device.speed = 0.0;
    device.recordSeconds = 10.0;
    const SimulatedDevice simulated(device,
                                    [&](float* l, float* r, int n) { engine.process(l, r, n); });
    while (simulated.recorded()[0].size() < 10U * 48000U) std::this_thread::yield();
    const auto heard = simulated.recorded();
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i + static_cast<std::size_t>(late) < heard[c].size(); ++i)
            ASSERT_EQ(heard[c][i + static_cast<std::size_t>(late)], wanted.channels[c][i]) << i;
    }
}

TEST(Engine, DoesNotAllocateInTheCallback) {
    Engine engine;
    Session s = session();
    engine.setPlan(compile(s, test::sharedStore()), 48000.0);
    engine.play();
    std::vector<float> l(256), r(256);
    engine.process(l.data(), r.data(), 256);
    auto second = compile(s, test::sharedStore());
    const int snare = second->rowIndex("snare-top");
    const std::uint32_t number = engine.setPlan(std::move(second), 48000.0);
    engine.setLoop(true, 24000, 48000);
    for (int i = 0; i < kEqBands * kEqFields; ++i)
        engine.move({Move::Kind::value, snare, 2, i,
                     processorType("eq").table[static_cast<std::size_t>(i)].standard + 0.2});
    engine.move({Move::Kind::mute, snare, 0, 0, 1.0});
    engine.audition({true, snare, 0, 2.0}, number);
    engine.seek(12000);
    const test::AllocationGuard guard;
    for (int n = 0; n < 400; ++n) engine.process(l.data(), r.data(), n % 3 == 0 ? 256 : 61);
    EXPECT_EQ(guard.count(), 0U);
}

TEST(Engine, LoopsSeeksAndStopsWithoutAClick) {
    const test::TempFolder folder;
    test::writeMono(folder / "tone.wav", test::sine(100.0, 0.5, 5 * 48000, 48000.0));
    Engine engine;
    engine.setPlan(compile(test::oneElement(folder / "tone.wav"), test::sharedStore()), 48000.0);
    openMonitor(engine);
    engine.setLoop(true, 10037, 30011);
    engine.play();
    auto out = playLeft(engine, 96000);
    engine.seek(70001);
    for (const float x : playLeft(engine, 24000)) out.push_back(x);
    engine.stop();
    for (const float x : playLeft(engine, 9600)) out.push_back(x);
    engine.play();
    for (const float x : playLeft(engine, 9600)) out.push_back(x);
    EXPECT_LT(test::peakAboveDb(std::vector<float>(out.begin() + 4800, out.end()), 6000.0, 48000.0),
              -46.0);
    EXPECT_GT(test::peakDb(out, out.size() - 4800), -12.0);
}

TEST(Engine, ExchangesPlansAndMutesWithoutAClick) {
    const test::TempFolder folder;
    test::writeMono(folder / "tone.wav", test::sine(100.0, 0.5, 5 * 48000, 48000.0));
    const Session s = test::oneElement(folder / "tone.wav");
    Engine engine;
    engine.setPlan(compile(s, test::sharedStore()), 48000.0);
    openMonitor(engine);
    engine.play();
    auto out = playLeft(engine, 9600);
    engine.setPlan(compile(withValue(s, "one", "seat", "level", -6.0), test::sharedStore()),
                   48000.0);
    for (const float x : playLeft(engine, 9600)) out.push_back(x);
    engine.move({Move::Kind::mute, 0, 0, 0, 1.0});
    for (const float x : playLeft(engine, 19200)) out.push_back(x);
    EXPECT_LT(test::peakDb(out, out.size() - 4800), -100.0);
    engine.move({Move::Kind::mute, 0, 0, 0, 0.0});
    for (const float x : playLeft(engine, 19200)) out.push_back(x);
    EXPECT_NEAR(test::peakDb(out, out.size() - 4800), -12.04, 0.1);
    EXPECT_LT(test::peakAboveDb(std::vector<float>(out.begin() + 2400, out.end()), 2150.0, 48000.0),
              -60.0);
    engine.collect();
}

TEST(Engine, NeverExceedsItsCeiling) {
    const test::TempFolder folder;
    test::writeMono(folder / "loud.wav", test::noise(1.0, 48000));
    Session s = withValue(test::oneElement(folder / "loud.wav"), "one", "seat", "level", 12.0);
    Engine engine;
    engine.setPlan(compile(s, test::sharedStore()), 48000.0);
    openMonitor(engine);
    engine.play();
    const auto out = play(engine, 48000, 256);
    EXPECT_LE(test::peakDb(out[0]), Engine::kCeilingDb + 0.001);
    EXPECT_GT(test::peakDb(out[0]), -3.0);
}

TEST(Engine, ReportsPositionAndLevelsThroughItsQueue) {
    Engine engine;
    auto compiled = compile(session(), test::sharedStore());
    Plan& plan = *compiled;
    const std::uint32_t number = engine.setPlan(std::move(compiled), 48000.0);
    openMonitor(engine);
    MeterFrame frame;
    RowMeter meter;
    while (engine.poll(frame)) continue;
    engine.play();
    float loudest = 0.0F, deepest = 0.0F;
    Frames last = 0;
    for (int n = 0; n < 8 * 100; ++n) {
        std::vector<float> l(480), r(480);
        engine.process(l.data(), r.data(), 480);
        while (engine.poll(frame)) {
            EXPECT_GE(frame.position, last);
            last = frame.position;
            EXPECT_EQ(frame.plan, number);
            for (int row = 0; row < plan.rowCount(); ++row) {
                plan.takeMeter(row, meter);
                loudest = std::max(loudest, meter.peak[0]);
                for (const Reading& stage : meter.stage) deepest = std::min(deepest, stage.gainDb);
            }
        }
        if (n > 300) break;
    }
    EXPECT_GT(last, 48000);
    EXPECT_GT(loudest, 0.1F);
    EXPECT_LT(deepest, -6.0F);
}

TEST(Engine, EveryRowAndStageHasItsMeterHoweverManyThereAre) {
    Session s = session();
    for (int n = 0; n < 12; ++n) s = withStageAdded(std::move(s), "snare-top", "saturation");
    const Stage press = [] {
        Stage stage = makeStage("compressor");
        stage.on = true;
        stage.values[static_cast<std::size_t>(
            parameterIndex(processorType("compressor").table, "threshold"))] = -50.0;
        return stage;
    }();
    Row& own = requireRow(s, "snare-top");
    own.chain.insert(own.chain.end() - 1, press);
    own.chain[own.chain.size() - 2].id = "last";
    const Row snare = own;
    for (int n = 0; n < 70; ++n) {
        Row row = snare;
        row.id = "copy-" + std::to_string(n);
        row.chain = makeChain(RowKind::element);
        s.rows.insert(s.rows.begin(), row);
    }
    const auto plan = compile(s, test::sharedStore());
    RowMeter meter;
    const int row = plan->rowIndex("snare-top");
    ASSERT_GT(row, 64);
    for (Frames at = 0; at < 96000; at += kBlock) {
        const BlockPlay play{BlockPlay::Mode::play, at, 0};
        plan->run({&play, 1});
    }
    plan->takeMeter(row, meter);
    ASSERT_EQ(meter.stage.size(), snare.chain.size());
    EXPECT_LT(meter.stage[meter.stage.size() - 2].gainDb, -6.0F);
    EXPECT_GT(meter.peak[0], 0.01F);
    plan->takeMeter(row, meter);
    EXPECT_EQ(meter.peak[0], 0.0F) << "what was taken is gone";
    EXPECT_EQ(meter.stage[meter.stage.size() - 2].gainDb, 0.0F);
}

TEST(Trace, SaysWhatEveryStageDid) {
    const Session s = session();
    const auto traces = trace(s, test::sharedStore(), {"snare-top", "main"});
    ASSERT_EQ(traces.size(), 2U);
    const RowTrace& snare = traces.at("snare-top");
    const Row& row = *findRow(s, "snare-top");
    ASSERT_EQ(snare.stages.size(), row.chain.size());
    const StageTrace& gate = snare.stages[1];
    EXPECT_NEAR(static_cast<double>(*std::min_element(gate.gainDb.begin(), gate.gainDb.end())),
                -16.0, 0.01)
        << "the floor that was set";
    EXPECT_NEAR(static_cast<double>(*std::max_element(gate.gainDb.begin(), gate.gainDb.end())), 0.0,
                0.01);
    // The high-pass at 90 Hz takes 20 dB and more at 25 Hz from what was measured.
    const StageTrace& eq = snare.stages[2];
    EXPECT_LT(eq.after.level[4] - eq.before.level[4], -15.0);
    EXPECT_LT(traces.at("main").output.integrated, -10.0);
}

TEST(Comparison, IsMatchedInLoudness) {
    Session s = session();
    s = withValue(s, "snare-top", "compressor", "make-up", 12.0);
    const double gain = matchGainDb(s, test::sharedStore(), "snare-top", stageBit(3), 0.0, 14.0);
    EXPECT_GT(gain, 3.0);
    // Without the compressor and raised by that gain it must be as loud as with it.
    Session without = withValue(withStageOn(s, "snare-top", "compressor", false), "snare-top",
                                "seat", "level", -1.0 + gain);
    const auto loudness = [](const Session& x) {
        return trace(x, test::sharedStore(), {"snare-top"}).at("snare-top").output.integrated;
    };
    const double off = std::abs(loudness(without) - loudness(s));
    test::accuracy("level-matched comparison", "<= 0.3 LU", off, "LU", off <= 0.3);
    EXPECT_LT(off, 0.3);
}

// A row that is met as a key first brings its own key along when it is wanted for itself.
TEST(Trace, ARowThatIsAKeyKeepsItsOwnKey) {
    Session s = test::shortSession();
    s = withStageOn(std::move(s), "snare-top", "gate", true);
    s = withKey(std::move(s), "snare-top", "gate", "hat");
    s = withValue(std::move(s), "hat", "gate", "threshold", -30.0);
    s = withKey(std::move(s), "hat", "gate", "kick-in");
    const auto gains = [&](const std::vector<std::string>& rows) {
        const auto traced = trace(s, test::sharedStore(), rows);
        const Row& hat = *findRow(s, "hat");
        return traced.at("hat")
            .stages[static_cast<std::size_t>(findStage(hat, "gate") - hat.chain.data())]
            .gainDb;
    };
    const auto alone = gains({"hat"});
    EXPECT_TRUE(std::any_of(alone.begin(), alone.end(), [](float g) { return g > -1.0F; }))
        << "the kick opens it";
    EXPECT_EQ(gains({"snare-top", "hat"}), alone);
}

}  // namespace
}  // namespace ember
