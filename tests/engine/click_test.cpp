// The click: on the song's beats as they are heard, round a loop, and a bar before it begins.
#include "core/engine/click.h"

#include "core/session/step.h"
#include "tests/engine/live.h"
#include "tests/support/allocation_guard.h"

#include <algorithm>
#include <array>

namespace ember {
namespace {

using test::Live;

constexpr double kTempo = 120.0;
constexpr std::size_t kBeat = 24000;

// Ten seconds of silence at 120, late by its limiter's look-ahead.
struct Silent {
    test::TempFolder folder;
    Session session;

    Silent() {
        test::writeMono(folder / "silence.wav", std::vector<float>(480000, 0.0F));
        session = test::oneElement(folder / "silence.wav");
        session.time = steadyTime(kTempo);
        session = withStageAdded(std::move(session), "one", "limiter");
    }
};

// Where clicks begin: the first sample of each that is not silence.
std::vector<std::size_t> clicks(const std::vector<float>& x) {
    std::vector<std::size_t> out;
    std::size_t quiet = 1000;
    for (std::size_t i = 0; i < x.size(); ++i) {
        const bool silent = std::abs(x[i]) < 1e-6F;
        if (!silent && quiet > 500) out.push_back(i);
        quiet = silent ? quiet + 1 : 0;
    }
    return out;
}

TEST(Click, BeatsFollowTempoAndMetre) {
    TimeMap time = withMetreFrom(withTempoFrom(steadyTime(kTempo, 1.0), 1, 60.0), 1, 3, 4);
    const std::vector<Beat> beats = beatsOf(time, 48000.0, 48000 * 8);
    // Bar 1 begins at 1 s with four beats of half a second; then three of a second each.
    std::vector<std::pair<double, bool>> told;
    for (const Beat& b : beats) {
        if (b.at >= 48000) told.emplace_back(static_cast<double>(b.at) / 48000.0, b.first);
    }
    const std::vector<std::pair<double, bool>> wanted{
        {1.0, true},  {1.5, false}, {2.0, false}, {2.5, false}, {3.0, true},
        {4.0, false}, {5.0, false}, {6.0, true},  {7.0, false}, {8.0, false}};
    EXPECT_EQ(told, wanted);
    // Two bars before the song's beginning, for who is counted in.
    EXPECT_LE(beats.front().at, -48000 * 3);
    EXPECT_TRUE(std::is_sorted(beats.begin(), beats.end(),
                               [](const Beat& a, const Beat& b) { return a.at < b.at; }));
}

TEST(Click, StandsOnTheBeatsThatAreHeard) {
    const Silent s;
    Live live(s.session);
    EXPECT_GT(live.late, 0);
    EXPECT_TRUE(clicks(live.playFrom(0.96, 96000)).empty()) << "off";
    live.engine.stop();
    live.engine.setClick(true);
    EXPECT_TRUE(clicks(live.take(48000)).empty()) << "nothing is counted while it stands";
    const std::vector<float> heard = live.playFrom(0.96, 96000);
    const std::vector<std::size_t> at = clicks(heard);
    ASSERT_EQ(at.size(), 4U);
    for (std::size_t i = 0; i < at.size(); ++i)
        EXPECT_EQ(at[i], (i + 2) * kBeat - test::frameAt(0.96) + 1) << i;
    // Higher on the first of a bar.
    const auto crossings = [&](std::size_t from) {
        int count = 0;
        for (std::size_t n = from; n + 1 < from + 480; ++n)
            count += (heard[n] < 0.0F) != (heard[n + 1] < 0.0F) ? 1 : 0;
        return count;
    };
    EXPECT_GT(crossings(at[2]), crossings(at[1]) + 5);
    live.engine.setClick(false);
    live.take(4800);
    EXPECT_TRUE(clicks(live.take(96000)).empty());
}

TEST(Click, GoesRoundALoopWithTheSong) {
    const Silent s;
    Live live(s.session);
    live.engine.setClick(true);
    live.engine.setLoop(true, 48000, 48000 + 3 * 24000);
    const std::vector<std::size_t> at = clicks(live.playFrom(1.0, 240000));
    ASSERT_GE(at.size(), 9U);
    for (std::size_t i = 1; i < at.size(); ++i)
        EXPECT_NEAR(static_cast<double>(at[i] - at[i - 1]), static_cast<double>(kBeat),
                    static_cast<double>(kBlock))
            << i << ": a loop's end lies on the grid of blocks";
}

TEST(Click, CountsABarInAndTheSongBeginsBehindIt) {
    test::TempFolder folder;
    std::vector<float> impulses(240000, 0.0F);
    for (std::size_t i = 0; i < impulses.size(); i += kBeat) impulses[i] = 0.5F;
    test::writeMono(folder / "beats.wav", impulses);
    Session session = test::oneElement(folder / "beats.wav");
    session.time = steadyTime(kTempo);
    Live live(session);
    live.take((kBlock - live.taken % kBlock) % kBlock);
    live.engine.seek(96000);
    live.engine.play(96000);
    const std::vector<float> heard = live.take(240000);
    // Four clicks, then the song's own strokes, a beat apart; no click with the song.
    const std::vector<std::size_t> at = clicks(heard);
    ASSERT_GE(at.size(), 7U);
    for (std::size_t i = 0; i < 7; ++i)
        EXPECT_NEAR(static_cast<double>(at[i]), static_cast<double>(i * kBeat + live.late), 2.0)
            << i;
    const auto length = [&](std::size_t from) {
        std::size_t n = from;
        while (std::abs(heard[n]) > 1e-6F || std::abs(heard[n + 1]) > 1e-6F) ++n;
        return n - from;
    };
    EXPECT_GT(length(at[3]), 400U) << "a click";
    EXPECT_LT(length(at[4]), 400U) << "the recording alone";
    // Stopped while it counts, it does not begin.
    live.engine.stop();
    live.take(4800);
    live.engine.play(96000);
    live.take(24000);
    live.engine.stop();
    live.take(24000);
    EXPECT_TRUE(clicks(live.take(192000)).empty());
}

TEST(Click, WhoIsALittleEarlyPlaysWithTheBeginning) {
    const Silent s;
    Live live(s.session);
    const auto struckAfter = [&](std::size_t frames) {
        live.engine.stop();
        live.take(4800);
        live.engine.seek(96000);
        live.engine.play(96000);
        live.take(frames);
        live.engine.strike({0, 0.9, 0});
        live.take(480);
        Struck struck;
        EXPECT_TRUE(live.engine.pollStruck(struck));
        return struck;
    };
    EXPECT_FALSE(struckAfter(48000).playing) << "while it is still counted";
    const Struck early = struckAfter(96000 - 4800);
    EXPECT_TRUE(early.playing);
    EXPECT_NEAR(static_cast<double>(early.position), 96000.0 - 4800.0 - live.late, 500.0);
}

TEST(Click, AsksNothingOfTheHeap) {
    const Silent s;
    Live live(s.session);
    live.engine.setClick(true);
    live.engine.play(48000);
    std::array<float, 256> left{}, right{};
    const test::AllocationGuard guard;
    for (int i = 0; i < 600; ++i) live.engine.process(left.data(), right.data(), 256);
    EXPECT_EQ(guard.count(), 0U);
}

}  // namespace
}  // namespace ember
