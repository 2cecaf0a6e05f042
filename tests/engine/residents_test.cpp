// Plans side by side: each as if it had played from the beginning, heard from a frame on.

#include "core/base/error.h"
#include "core/engine/engine.h"
#include "core/engine/render.h"
#include "core/engine/trace.h"
#include "core/measure/level/loudness.h"
#include "demo/mix.h"
#include "tests/support/allocation_guard.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kHertz = 48000.0;
constexpr Frames kSwitch = 960;  // of the fade

std::unique_ptr<Plan> planFor(const Session& session, const PlanOptions& options = {}) {
    return compile(session, test::sharedStore(), options);
}

// The left side of what comes next.
std::vector<float> take(Engine& engine, std::size_t frames) {
    std::vector<float> left(frames), right(frames);
    for (std::size_t at = 0; at < frames; at += 240)
        engine.process(left.data() + at, right.data() + at,
                       static_cast<int>(std::min<std::size_t>(240, frames - at)));
    return left;
}

// With its monitor open, on the block grid.
void open(Engine& engine) {
    engine.setMonitorDb(0.0);
    take(engine, 48000);
}

// What a session alone makes of the song, latency and all.
std::vector<float> aloneFor(const Session& session, std::size_t frames) {
    Engine engine;
    engine.setPlan(planFor(session), kHertz);
    open(engine);
    engine.play();
    return take(engine, frames);
}

std::uint32_t heard(Engine& engine) {
    MeterFrame frame;
    while (engine.poll(frame)) continue;
    std::vector<float> l(64), r(64);
    engine.process(l.data(), r.data(), 64);
    while (engine.poll(frame)) continue;
    return frame.heard;
}

// Steady tones, a fresh frequency for every place of the song: what is heard says when it was.
struct Song {
    test::TempFolder folder;
    Session session;
    std::vector<float> rising;

    Song() : rising(5 * 48000) {
        for (std::size_t i = 0; i < rising.size(); ++i)
            rising[i] = 0.4F * static_cast<float>(i) / static_cast<float>(rising.size());
        test::writeMono(folder / "rising.wav", rising);
        session = test::oneElement(folder / "rising.wav");
        session = withStageOn(std::move(session), "one", "compressor", false);
    }
};

TEST(Residents, AreHeardFromTheFrameOnAsIfTheyHadPlayedFromTheBeginning) {
    // Compressors with long memories: what a plan was not told of would be heard.
    Session now = demo::demoMix(test::shortSession());
    now = withValue(std::move(now), "snare-top", "compressor", "release", 900.0);
    Session other = withValue(now, "snare-top", "compressor", "threshold", -50.0);
    other = withValue(std::move(other), "drum-bus", "compressor", "threshold", -30.0);
    const std::size_t frames = 4 * 48000;
    const std::vector<float> one = aloneFor(now, frames), two = aloneFor(other, frames);
    Engine engine;
    engine.setPlan(planFor(now), kHertz);
    const int late = planFor(now)->latency();
    const std::uint32_t kept = engine.keep(planFor(other), kHertz);
    open(engine);
    const Frames there = 48000 + 37, back = 2 * 48000 + 11;
    engine.listen({kept, -1, 0.0, there});
    engine.play();
    std::vector<float> out = take(engine, 72000);
    engine.listen({0, -1, 0.0, back});
    for (const float x : take(engine, frames - 72000)) out.push_back(x);
    const auto at = [&](Frames song) { return static_cast<std::size_t>(song + late); };
    for (std::size_t i = 0; i <= at(there); ++i) ASSERT_EQ(out[i], one[i]) << i;
    for (std::size_t i = at(there + kSwitch); i <= at(back); ++i) ASSERT_EQ(out[i], two[i]) << i;
    for (std::size_t i = at(back + kSwitch); i < frames; ++i) ASSERT_EQ(out[i], one[i]) << i;
    EXPECT_FALSE(std::equal(out.begin() + static_cast<std::ptrdiff_t>(at(there + kSwitch)),
                            out.begin() + static_cast<std::ptrdiff_t>(at(back)),
                            one.begin() + static_cast<std::ptrdiff_t>(at(there + kSwitch))))
        << "the two differ";
}

TEST(Residents, OfUnequalLatencyAreAtTheSamePlaceOfTheSong) {
    Song song;
    // Later by its look-ahead, and otherwise the same.
    const Session later = withValue(song.session, "one", "compressor", "look-ahead", 8.0);
    ASSERT_GT(planFor(later)->latency(), planFor(song.session)->latency() + 300);
    for (const bool laterFirst : {false, true}) {
        Engine engine;
        engine.setPlan(planFor(laterFirst ? later : song.session), kHertz);
        open(engine);
        engine.play();
        take(engine, 4800);
        const std::uint32_t kept = engine.keep(planFor(laterFirst ? song.session : later), kHertz);
        take(engine, 9600);
        for (const std::uint32_t number : {kept, 0U, kept, 0U}) {
            engine.listen({number, -1, 0.0, -1});
            const std::vector<float> out = take(engine, 9600);
            // A ramp that goes on: no place is heard twice or left out.
            const float step = 0.4F / static_cast<float>(song.rising.size());
            for (std::size_t i = 1; i < out.size(); ++i)
                ASSERT_NEAR(out[i] - out[i - 1], step, 2e-7F) << number << " " << i;
        }
        // What was late alone goes: the rest is early again, faded and not torn.
        engine.drop(kept);
        const std::vector<float> out = take(engine, 9600);
        for (std::size_t i = 1; i < out.size(); ++i)
            ASSERT_LT(std::abs(out[i] - out[i - 1]), 1e-5F) << i;
    }
}

TEST(Residents, TurnTheirLevelAndPlayOneOfTheirRows) {
    Song song;
    Engine engine;
    engine.setPlan(planFor(song.session), kHertz);
    auto plan = planFor(song.session);
    const int row = plan->rowIndex("one");
    const std::uint32_t kept = engine.keep(std::move(plan), kHertz);
    open(engine);
    engine.play();
    take(engine, 9600);
    engine.listen({kept, row, -6.0, -1});
    const std::vector<float> out = take(engine, 9600);
    const std::vector<float> whole = aloneFor(song.session, 19200);
    EXPECT_NEAR(out.back() / whole[19199], gainFromDb(-6.0), 1e-4);
}

TEST(Residents, GoRoundALoopOfTheirOwn) {
    const test::TempFolder folder;
    Song song;
    // A reference whose samples say where they are.
    Session s = song.session;
    test::writeMono(folder / "reference.wav", song.rising);
    Row reference = s.rows[0];
    reference.id = "record";
    reference.kind = RowKind::reference;
    reference.parent.clear();
    reference.chain = makeChain(RowKind::reference);
    reference.sources[0].file = (folder / "reference.wav").string();
    s.rows.push_back(reference);
    ASSERT_EQ(validate(s), "");
    EXPECT_EQ(planFor(s)->rowIndex("record"), -1) << "it is no part of the mix";
    PlanOptions only;
    only.onlyRows = {"record"};
    auto plan = planFor(s, only);
    const int row = plan->rowIndex("record");
    ASSERT_GE(row, 0);
    EXPECT_EQ(plan->length(), 5 * 48000);
    Engine engine;
    engine.setPlan(planFor(s), kHertz);
    const Frames from = 64 * 100, to = 64 * 400, offset = 64 * 30;
    const std::uint32_t kept = engine.keep(std::move(plan), kHertz, {offset, from, to});
    open(engine);
    engine.play();
    const std::vector<float> mix = take(engine, 9600);
    EXPECT_EQ(heard(engine), 0U) << "silent until it is listened to";
    engine.listen({kept, row, 0.0, -1});
    take(engine, 2400 - 64);
    const float scale = song.rising[1000] / 1000.0F;
    // Where the song is when each frame is heard: as late as the mix.
    const int late = planFor(s)->latency();
    const std::vector<float> out = take(engine, 96000);
    int wraps = 0;
    for (std::size_t i = 0; i < out.size(); i += 7) {
        const auto at = static_cast<Frames>(i) + 9600 + 2400 - late;
        const Frames place = from + (at + offset - from) % (to - from);
        // Jumps are faded by the source.
        if (place < from + 2048) {
            ++wraps;
            continue;
        }
        ASSERT_NEAR(out[i], scale * static_cast<float>(place), 1e-5F) << i;
    }
    EXPECT_GT(wraps, 3);
    engine.seek(48000);
    take(engine, 4800);
    EXPECT_LT(test::peakAboveDb(take(engine, 48000), 3000.0, kHertz), -55.0) << "no click";
}

TEST(Residents, GoWhenTheyAreNoMoreHeard) {
    Song song;
    AudioStore& store = test::sharedStore();
    const auto clip = store.open(song.session.rows[0].sources[0].file, 48000);
    const long before = clip.use_count();
    {
        Engine engine;
        engine.setPlan(planFor(song.session), kHertz);
        open(engine);
        engine.play();
        std::vector<std::uint32_t> kept;
        for (int n = 0; n < Engine::kMostKept; ++n)
            kept.push_back(engine.keep(planFor(song.session), kHertz));
        EXPECT_THROW(engine.keep(planFor(song.session), kHertz), Error);
        take(engine, 4800);
        EXPECT_EQ(clip.use_count(), before + 1 + Engine::kMostKept);
        engine.listen({kept[3], -1, 0.0, -1});
        take(engine, 4800);
        EXPECT_EQ(heard(engine), kept[3]);
        // Heard, it is faded out first; one that has gone is not heard: the session is.
        for (const std::uint32_t number : kept) engine.drop(number);
        engine.listen({kept[2], -1, 0.0, -1});
        const std::vector<float> out = take(engine, 9600);
        EXPECT_GT(std::abs(out.back()), 0.01F);
        EXPECT_EQ(heard(engine), 0U);
        engine.collect();
        EXPECT_EQ(clip.use_count(), before + 1);
        // And there is room again.
        engine.keep(planFor(song.session), kHertz);
        take(engine, 480);
        EXPECT_EQ(clip.use_count(), before + 2);
    }
    EXPECT_EQ(clip.use_count(), before);
}

TEST(Residents, StayWhenTheSessionIsEdited) {
    Song song;
    Engine engine;
    engine.setPlan(planFor(song.session), kHertz);
    const std::uint32_t kept =
        engine.keep(planFor(withValue(song.session, "one", "seat", "level", -20.0)), kHertz);
    open(engine);
    engine.play();
    engine.listen({kept, -1, 0.0, -1});
    take(engine, 9600);
    engine.setPlan(planFor(withValue(song.session, "one", "seat", "level", -3.0)), kHertz);
    const std::vector<float> whole = aloneFor(song.session, 28800);
    EXPECT_NEAR(take(engine, 9600).back() / whole[19199], gainFromDb(-20.0), 1e-4);
    engine.listen({});
    EXPECT_NEAR(take(engine, 9600).back() / whole[28799], gainFromDb(-3.0), 1e-4);
    // Moves find their plan.
    engine.move({Move::Kind::value, 0, 1, 0, 0.0}, kept + 100);
    const int seat = static_cast<int>(song.session.rows[0].chain.size()) - 1;
    const int level = parameterIndex(processorType("seat").table, "level");
    engine.move({Move::Kind::value, 0, seat, level, -12.0}, kept);
    take(engine, 4800);
    engine.listen({kept, -1, 0.0, -1});
    const std::vector<float> longer = aloneFor(song.session, 43200);
    EXPECT_NEAR(take(engine, 9600).back() / longer[43199], gainFromDb(-12.0), 1e-4);
}

TEST(Residents, AskNothingOfTheHeapInTheCallback) {
    const Session s = demo::demoMix(test::shortSession());
    Engine engine;
    engine.setPlan(planFor(s), kHertz);
    engine.setLoop(true, 0, 48000);
    open(engine);
    engine.play();
    const std::uint32_t one =
                            engine.keep(planFor(withStageOn(s, "snare-top", "eq", false)), kHertz),
                        two = engine.keep(planFor(s), kHertz, {640, 6400, 32000});
    engine.audition({true, 0, 0, 2.0}, one);
    auto edited = planFor(s);
    std::vector<float> l(256), r(256);
    const test::AllocationGuard guard;
    std::size_t n = 0;
    for (const Listen& what : {Listen{one, -1, -2.0, 24000}, Listen{two, -1, 0.0, -1},
                               Listen{two, 1, 3.0, -1}, Listen{}, Listen{one, -1, 0.0, -1}}) {
        engine.listen(what);
        if (++n == 3) engine.setPlan(std::move(edited), kHertz);
        if (n == 4) engine.drop(two);
        for (int i = 0; i < 120; ++i) engine.process(l.data(), r.data(), i % 3 == 0 ? 256 : 61);
    }
    EXPECT_EQ(guard.count(), 0U);
}

TEST(Residents, AReferenceIsAsLoudAsTheMix) {
    const test::TempFolder folder;
    test::writeMono(folder / "mix.wav", test::noise(0.1, 5 * 48000));
    test::writeMono(folder / "record.wav", test::noise(0.4, 5 * 48000));
    Session s = test::oneElement(folder / "mix.wav");
    Row reference = s.rows[0];
    reference.id = "record";
    reference.kind = RowKind::reference;
    reference.parent.clear();
    reference.chain = makeChain(RowKind::reference);
    reference.sources[0].file = (folder / "record.wav").string();
    s.rows.push_back(reference);
    EXPECT_NEAR(referenceGainDb(s, test::sharedStore(), "record", 0.0, 4.0), dbFromGain(0.25), 0.1);
    // Nothing of it there: nothing to match.
    EXPECT_EQ(referenceGainDb(s, test::sharedStore(), "nobody", 0.0, 4.0), 0.0);
    // A solo somewhere in the mix closes nothing of it.
    s.rows[0].solo = true;
    EXPECT_NEAR(referenceGainDb(s, test::sharedStore(), "record", 0.0, 4.0), dbFromGain(0.25), 0.1);
}

// Two mixes of one song, switched on a beat: the second is as loud as the first within 0.3 LU.
TEST(Residents, AnotherMixIsAsLoudAsTheFirstAndGoesOnWithoutAGap) {
    const Session first = demo::demoMix(test::shortSession());
    Session second = withValue(first, "snare-top", "seat", "level", 9.0);
    second = withStageAdded(std::move(second), "drum-bus", "clipper");
    second = withValue(std::move(second), "drum-bus", "clipper", "ceiling", -18.0);
    second = withValue(second, mainRow(second), "seat", "level", 3.0);
    constexpr double kFrom = 2.0, kTo = 8.0;
    const double gain = mixGainDb(second, first, test::sharedStore(), {}, kFrom, kTo);
    Engine engine;
    engine.setPlan(planFor(first), kHertz);
    const std::uint32_t other = engine.keep(planFor(second), kHertz);
    open(engine);
    engine.setMonitorDb(-12.0);
    const auto loudness = [&](const Listen& what) {
        engine.listen(what);
        engine.seek(0);
        engine.play();
        take(engine, static_cast<std::size_t>(kFrom * kHertz));
        LoudnessMeter meter(1, kHertz, LoudnessDetail::integrated);
        meter.add(take(engine, static_cast<std::size_t>((kTo - kFrom) * kHertz)));
        return meter.result().integrated;
    };
    const double plain = loudness({other, -1, 0.0});
    const double matched = loudness({other, -1, gain});
    const double wanted = loudness({});
    EXPECT_NEAR(matched, wanted, 0.3);
    EXPECT_GT(std::abs(plain - wanted), 0.5) << "unmatched it is not";
    // No sample of the way over is silent for longer than the song itself is.
    engine.listen({other, -1, gain, static_cast<Frames>(9.0 * kHertz)});
    const std::vector<float> way = take(engine, 2 * 48000);
    double least = 1.0;
    for (std::size_t at = 0; at + 4800 <= way.size(); at += 4800) {
        double power = 0.0;
        for (std::size_t i = at; i < at + 4800; ++i)
            power += static_cast<double>(way[i]) * static_cast<double>(way[i]);
        least = std::min(least, std::sqrt(power / 4800.0));
    }
    EXPECT_GT(least, 1e-4);
    EXPECT_EQ(heard(engine), other);
}

TEST(Residents, WhatDiffersIsHeardAloneAndSurvivesEdits) {
    const Session first = demo::demoMix(test::shortSession());
    Session second = withValue(first, "snare-top", "gate", "look-ahead", 3.0);  // later as well
    second = withValue(std::move(second), "hat", "seat", "level", -20.0);
    Engine engine;
    const std::uint32_t own = engine.setPlan(planFor(first), kHertz);
    const std::uint32_t twin = engine.keep(planFor(first), kHertz),
                        other = engine.keep(planFor(second), kHertz);
    open(engine);
    engine.setMonitorDb(-12.0);
    const auto heardFrom = [&](const Listen& what) {
        engine.listen(what);
        engine.seek(0);
        engine.play();
        take(engine, 2 * 48000);
        return take(engine, 3 * 48000);
    };
    Listen alike{twin};
    alike.less = Listen::Less{};
    EXPECT_LT(test::peakDb(heardFrom(alike)), -120.0) << "two that are alike leave nothing";
    Listen differs{};
    differs.less = Listen::Less{other};
    const std::vector<float> less = heardFrom(differs);
    EXPECT_GT(test::peakDb(less), -60.0);
    // It is the one less the other, sample by sample.
    const std::vector<float> one = heardFrom({}), two = heardFrom({other});
    double worst = 0.0;
    for (std::size_t i = 0; i < less.size(); ++i)
        worst = std::max<double>(worst, std::abs(less[i] - (one[i] - two[i])));
    EXPECT_LT(worst, 1e-6);
    // Grown by 12 dB.
    differs.gainDb = differs.less->gainDb = 12.0;
    EXPECT_NEAR(test::peakDb(heardFrom(differs)), test::peakDb(less) + 12.0, 0.1);
    // The session is exchanged while it is heard less another, and goes on being.
    heardFrom(differs);
    EXPECT_NE(engine.setPlan(planFor(second), kHertz), own);
    take(engine, 4 * 48000);
    engine.collect();
    EXPECT_LT(test::peakDb(take(engine, 48000)), -90.0)
        << "now they are set alike; what one has just come to still settles";
    // What is taken away goes: the session is heard.
    engine.drop(other);
    take(engine, 48000);
    engine.collect();
    EXPECT_EQ(heard(engine), 0U);
    EXPECT_GT(test::peakDb(take(engine, 48000)), -60.0);
}

}  // namespace
}  // namespace ember
