// Which strokes a stage is told of, and when: through starts, jumps, loops and standing still.

#include "core/engine/event_track.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <vector>

namespace ember {
namespace {

using Mode = BlockPlay::Mode;

std::vector<Event> eventsAt(const std::vector<Frames>& frames) {
    std::vector<Event> out;
    for (const Frames f : frames) {
        out.emplace_back();
        out.back().frame = f;
    }
    return out;
}

// What was told, in frames since the first block.
struct Told {
    Frames when;
    BlockEvent what;
};

// Plays these blocks, one a run or all in one run, and gathers what is told `delay` after the
// source.
std::vector<Told> tell(const std::vector<Frames>& events, Frames delay,
                       const std::vector<BlockPlay>& blocks, bool together = false) {
    TimeLine time;
    time.prepare(std::max<Frames>(0, delay), static_cast<int>(blocks.size()));
    EventTrack track(eventsAt(events), -delay);
    std::vector<Told> out;
    const auto listen = [&](int block, Frames at) {
        for (const BlockEvent& e : track.in(time, block, delay)) out.push_back({at + e.frame, e});
    };
    if (together) time.begin(blocks);
    for (std::size_t b = 0; b < blocks.size(); ++b) {
        if (!together) time.begin(std::span(blocks).subspan(b, 1));
        listen(together ? static_cast<int>(b) : 0, static_cast<Frames>(b) * kBlock);
    }
    return out;
}

std::vector<BlockPlay> playFrom(Frames from, int count) {
    std::vector<BlockPlay> out;
    for (int b = 0; b < count; ++b) out.push_back({Mode::play, from + b * kBlock, 0});
    return out;
}

// Of the strokes, those that begin while they are told.
std::vector<Frames> begun(const std::vector<Told>& told) {
    std::vector<Frames> out;
    for (const Told& t : told) {
        if (!t.what.anew && t.what.age == 0) out.push_back(t.when);
    }
    return out;
}

class TrackDelayed : public testing::TestWithParam<Frames> {};

TEST_P(TrackDelayed, TellsEveryStrokeOnceAtItsTime) {
    const Frames delay = GetParam();
    const std::vector<Frames> at{1500, 1501, 1563, 1564, 2000, 3199, 3200};
    for (const bool together : {false, true}) {
        const auto told = tell(at, delay, playFrom(0, 90), together);
        std::vector<Frames> wanted;
        for (const Frames f : at) wanted.push_back(f + delay);
        EXPECT_EQ(begun(told), wanted) << together;
        for (const Told& t : told) {
            if (t.what.anew) continue;
            EXPECT_EQ(t.when, t.what.event.frame + delay);
        }
    }
}

TEST_P(TrackDelayed, TellsWhatSoundsWherePlaybackStarts) {
    const Frames delay = GetParam(), from = 6400;
    std::vector<BlockPlay> blocks(10, {Mode::silent, from, 0});
    const auto playing = playFrom(from, 40);
    blocks.insert(blocks.end(), playing.begin(), playing.end());
    blocks[10].mode = Mode::fadeIn;
    const auto told = tell({100, 6000, 6410, 7000, 7001}, delay, blocks);
    ASSERT_GE(told.size(), 4U);
    EXPECT_TRUE(told[0].what.anew);
    // The place comes out, counted from the start of the blocks, at its own time with the delay.
    EXPECT_EQ(told[0].when - told[0].what.age, 10 * kBlock + delay);
    EXPECT_EQ(told[1].what.event.frame, 6000) << "the last one before, however long ago";
    for (const Told& t : told) {
        EXPECT_GE(t.when, 10 * kBlock) << "nothing before it plays";
        if (t.what.anew) continue;
        EXPECT_EQ(t.when - t.what.age, t.what.event.frame - from + 10 * kBlock + delay);
    }
    EXPECT_EQ(told.size(), 5U) << "the place, the one that sounds, and three more";
}

TEST_P(TrackDelayed, SaysNothingWhileTheSoundStandsStill) {
    const std::vector<BlockPlay> still(60, {Mode::silent, 1472, 0});
    EXPECT_TRUE(tell({1480, 1490, 1500}, GetParam(), still).empty());
}

INSTANTIATE_TEST_SUITE_P(Delays, TrackDelayed,
                         testing::Values(-1000, -65, -64, -63, -1, 0, 1, 63, 64, 65, 1000));

TEST(EventTrack, HasNoLimitToHowManyFallIntoABlock) {
    std::vector<Frames> dense;
    for (Frames f = 640; f < 704; ++f) {
        for (int n = 0; n < 5; ++n) dense.push_back(f);
    }
    EXPECT_EQ(begun(tell(dense, 0, playFrom(0, 20))).size(), 320U);
    EXPECT_EQ(begun(tell(dense, -100, playFrom(0, 20))).size(), 320U);
    EXPECT_EQ(begun(tell(dense, 100, playFrom(0, 20))).size(), 320U);
}

// Blocks of a loop that goes round, as the engine plays them.
std::vector<BlockPlay> loopBlocks(Frames from, Frames to, int count) {
    std::vector<BlockPlay> out;
    Frames at = from;
    bool jump = false;
    for (int b = 0; b < count; ++b) {
        out.push_back({jump ? Mode::jump : Mode::play, at, to, from, to});
        at += kBlock;
        jump = at >= to;
        if (jump) at = from;
    }
    return out;
}

TEST(EventTrack, LooksRoundTheWrapOfALoop) {
    // A stroke 10 frames behind the loop's start and one behind its end; told 200 early.
    const Frames from = 640, to = 1920, length = to - from;
    const auto told = tell({from + 10, to + 5}, -200, loopBlocks(from, to, 60));
    std::vector<Frames> early;
    for (const Told& t : told) {
        if (!t.what.anew && t.what.age == 0) early.push_back(t.when);
        EXPECT_EQ(t.what.anew || t.what.event.frame == from + 10, true)
            << "what lies behind the loop is not played";
    }
    EXPECT_EQ(early, (std::vector<Frames>{length + 10 - 200, 2 * length + 10 - 200,
                                          3 * length + 10 - 200}));
    // The first time round it starts inside what was to be told early.
    ASSERT_FALSE(told.empty());
    EXPECT_TRUE(told[0].what.anew);
    EXPECT_EQ(told[1].what.age, 190);
}

TEST(EventTrack, AWrapTakesUpWhatSoundsFromBeforeTheLoop) {
    const Frames from = 6400, to = 7680;
    for (const Frames delay : {Frames{-200}, Frames{0}, Frames{300}}) {
        const auto told = tell({6000}, delay, loopBlocks(from, to, 50));
        int taken = 0;
        for (const Told& t : told) {
            if (t.what.anew) continue;
            EXPECT_EQ((t.when - t.what.age - delay + 400) % (to - from), 0) << delay;
            ++taken;
        }
        EXPECT_EQ(taken, 3) << "each time round";
    }
}

TEST(EventTrack, AShortLoopBringsItsStrokesAsOftenAsItGoesRound) {
    const auto told = tell({650, 660}, -1000, loopBlocks(640, 704, 40));
    // All that is told early lies within the one block of the loop.
    for (const Told& t : told) {
        if (t.what.anew) continue;
        EXPECT_TRUE(t.what.event.frame == 650 || t.what.event.frame == 660);
    }
    EXPECT_EQ(begun(told).size(), 80U);
}

TEST(EventTrack, AnotherTimeLineGoesOnWhereOneIs) {
    TimeLine one, other;
    one.prepare(1000, 4);
    other.prepare(500, 1);
    const auto blocks = playFrom(0, 32);
    for (std::size_t b = 0; b < blocks.size(); b += 4) one.begin(std::span(blocks).subspan(b, 4));
    other.adopt(one);
    const BlockPlay next{Mode::play, 32 * kBlock, 0};
    other.begin({&next, 1});
    EXPECT_FALSE(other.starts(0));
    EXPECT_EQ(other.at(-1).position, 31 * kBlock);
    EXPECT_EQ(other.at(-8).position, 24 * kBlock);
}

}  // namespace
}  // namespace ember
