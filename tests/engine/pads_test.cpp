// Layers struck by hand: live, by their rules, through edits, and as the notes that are kept of it.
#include "core/engine/pads.h"

#include "tests/engine/stacked.h"
#include "tests/support/allocation_guard.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::burst;
using test::Live;
using test::Stacked;
using test::strokeAt;

// Where the first sample stands that is not silence; -1: none.
std::ptrdiff_t firstSound(const std::vector<float>& x) {
    const auto at = std::find_if(x.begin(), x.end(), [](float v) { return v != 0.0F; });
    return at == x.end() ? -1 : at - x.begin();
}

// Pads of a row, and what they sound like for a while.
struct Alone {
    Pads pads;
    explicit Alone(const Session& session) : pads(layersOf(session)) {}
    static std::vector<ReadyLayer> layersOf(const Session& session) {
        std::vector<std::string> problems;
        return readyLayers(session, *findRow(session, "stack"), test::sharedStore(), problems);
    }
    std::vector<float> take(int blocks) {
        std::vector<float> out;
        for (int b = 0; b < blocks; ++b) {
            float left[kBlock] = {}, right[kBlock] = {};
            pads.add({{left, right}, 2, kBlock});
            out.insert(out.end(), left, left + kBlock);
        }
        return out;
    }
};

TEST(Pads, SoundFromTheNextBlockOnWhetherTheSongPlaysOrStands) {
    Stacked s({burst(3000)}, {});
    s.soften();
    Live live(s.session);
    const int row = compile(s.session, test::sharedStore())->rowIndex("stack");
    EXPECT_EQ(firstSound(live.take(4800)), -1);
    live.engine.strike({row, 0.9, 0});
    const std::vector<float> standing = live.take(9600);
    const auto at = firstSound(standing);
    ASSERT_GE(at, 0);
    EXPECT_LE(at, live.late + 2 * kBlock);
    Struck struck;
    ASSERT_TRUE(live.engine.pollStruck(struck));
    EXPECT_FALSE(struck.playing);
    EXPECT_FALSE(live.engine.pollStruck(struck));
    live.playFrom(0.5, 4800);
    const std::uint32_t number = live.engine.strike({row, 0.9, 0});
    EXPECT_GE(firstSound(live.take(4800)), 0);
    ASSERT_TRUE(live.engine.pollStruck(struck));
    EXPECT_EQ(struck.number, number);
    EXPECT_TRUE(struck.playing);
    EXPECT_NEAR(static_cast<double>(struck.position), 24000.0 + 4800.0, kBlock);
    // Rows without layers and rows that are not there hear nothing of it.
    live.engine.strike({99, 0.9, 0});
    live.engine.strike({compile(s.session, test::sharedStore())->rowIndex("one"), 0.9, 0});
    live.take(9600);
    EXPECT_EQ(firstSound(live.take(4800)), -1);
}

TEST(Pads, WhatIsKeptOfATakeSoundsTheSameLiveAndRendered) {
    Stacked s({burst(9000), burst(5000, 8)}, {});
    s.set("sound1", "follow", 60.0);
    s.set("sound1", "offset", 3.0);
    s.soften();
    // Struck by hand: what came out, and when.
    std::vector<Played> take;
    std::vector<float> byHand(96000, 0.0F);
    for (const auto& [frame, velocity] : {std::pair{4801, 0.9}, {13337, 0.5}, {50000, 0.75}})
        take.push_back({frame / 48000.0, "snare", velocity, 0});
    s.session.pattern = Shared(takeOf(take, s.session.time));
    ASSERT_EQ(s.session.pattern.get().notes.size(), 3U);
    const std::vector<float> rendered = s.rendered();
    // Every one from its own frame on, as the pad sounded.
    const float quiet = static_cast<float>(gainFromDb(-30.0));
    for (const Played& played : take) {
        Alone alone(s.session);
        alone.pads.strike(played.velocity, 0);
        const std::vector<float> sound = alone.take(200);
        const auto at = static_cast<std::size_t>(std::llround(played.time * 48000.0));
        for (std::size_t i = 0; i < sound.size() && at + i < byHand.size(); ++i)
            byHand[at + i] += sound[i] * quiet;
    }
    ASSERT_EQ(rendered.size(), byHand.size());
    for (std::size_t i = 0; i < rendered.size(); ++i)
        ASSERT_NEAR(rendered[i], byHand[i], 1e-6) << i;
    Live live(s.session);
    const std::vector<float> heard = live.playFrom(0.0, 90000);
    for (std::size_t i = 0; i < heard.size(); ++i) ASSERT_EQ(heard[i], rendered[i]) << i;
}

TEST(Pads, GoByTheRulesOfTheirLayers) {
    Stacked s({burst(1000)}, {});
    const auto sounds = [&](double velocity, int articulation = 0) {
        Alone alone(s.session);
        alone.pads.strike(velocity, articulation);
        return firstSound(alone.take(40)) >= 0;
    };
    EXPECT_TRUE(sounds(0.7));
    EXPECT_FALSE(sounds(0.2)) << "ghost notes are spared";
    s.set("sound0", "spare-ghosts", 0.0);
    EXPECT_TRUE(sounds(0.2));
    s.set("sound0", "struck-by", static_cast<double>(StruckBy::accents));
    EXPECT_TRUE(sounds(0.9));
    EXPECT_FALSE(sounds(0.6));
    s.set("sound0", "struck-by", static_cast<double>(StruckBy::above));
    s.set("sound0", "above", 80.0);
    EXPECT_TRUE(sounds(0.85));
    EXPECT_FALSE(sounds(0.75));
    s.set("sound0", "struck-by", static_cast<double>(StruckBy::all));
    s.set("sound0", "way", static_cast<double>(StruckWay::other));
    EXPECT_FALSE(sounds(0.9));
    EXPECT_TRUE(sounds(0.9, 1));
    s.set("sound0", "way", static_cast<double>(StruckWay::any));
    s.set("sound0", "struck-by", static_cast<double>(StruckBy::everyNth));
    s.set("sound0", "every", 3.0);
    Alone alone(s.session);
    std::string which;
    for (int n = 0; n < 7; ++n) {
        alone.pads.strike(0.9, 0);
        which += firstSound(alone.take(40)) >= 0 ? 'x' : '-';
    }
    EXPECT_EQ(which, "x--x--x");
}

TEST(Pads, ChokeAndGiveWayWithoutAClickAndAskNothingOfTheHeap) {
    Stacked s({std::vector<float>(48000, 0.25F)}, {});
    s.set("sound0", "follow", 0.0);
    Alone open(s.session);
    for (int n = 0; n < 100; ++n) {
        open.pads.strike(0.9, 0);
        open.take(1);
    }
    // Of a hundred only the newest 64 stay.
    open.take(10);
    EXPECT_EQ(open.pads.sounding(), Stack::kMostVoices);
    EXPECT_NEAR(open.take(1)[0], 64 * 0.25F, 1e-3);
    s.set("sound0", "choke", 1.0);
    Alone hat(s.session);
    hat.pads.strike(0.9, 0);
    hat.take(40);
    hat.pads.strike(0.9, 0);
    const std::vector<float> over = hat.take(20);
    EXPECT_EQ(hat.pads.sounding(), 1);
    EXPECT_NEAR(over.front(), 0.5F, 0.01F) << "the first fades away under the second";
    EXPECT_NEAR(over.back(), 0.25F, 1e-6F);
    for (std::size_t i = 1; i < over.size(); ++i) ASSERT_LT(std::abs(over[i] - over[i - 1]), 0.01F);
    // All at once, and faster than anything fades.
    const test::AllocationGuard guard;
    for (int n = 0; n < 1000; ++n) open.pads.strike(0.9, 0);
    float left[kBlock] = {}, right[kBlock] = {};
    open.pads.add({{left, right}, 2, kBlock});
    EXPECT_EQ(guard.count(), 0U);
}

TEST(Pads, GoOnWhereTheyAreWhenTheSessionIsEdited) {
    Stacked s({burst(40000)}, {});
    s.soften();
    const int row = compile(s.session, test::sharedStore())->rowIndex("stack");
    Live edited(s.session), left(s.session);
    for (Live* live : {&edited, &left}) {
        live->engine.strike({row, 0.9, 0});
        live->take(9600);
    }
    // A processor more that does nothing: another plan.
    edited.engine.setPlan(compile(withStageAdded(s.session, "stack", "eq"), test::sharedStore()),
                          48000.0);
    const std::vector<float> a = edited.take(19200), b = left.take(19200);
    EXPECT_GT(test::peakDb(b, 9600), -60.0);
    EXPECT_LT(test::largestDifference(a, b), 1e-4);
    edited.engine.collect();
}

TEST(Take, IsNotesWhereItWasPlayed) {
    const TimeMap time = steadyTime(97.3, 0.4);
    std::vector<Played> played{{0.1, "snare", 0.9, 0}};  // before bar 1
    for (int i = 0; i < 50; ++i) played.push_back({0.5 + 0.2171 * i, "kick", 0.02 * i, i % 2});
    const Pattern take = takeOf(played, time);
    ASSERT_EQ(take.notes.size(), 50U);
    for (std::size_t i = 0; i < 50; ++i) {
        EXPECT_NEAR(secondsOf(take, take.notes[i], time), played[i + 1].time, 0.25 / 48000.0);
        EXPECT_EQ(take.notes[i].velocity, played[i + 1].velocity);
        EXPECT_EQ(take.notes[i].articulation, played[i + 1].articulation);
    }
    // Beside what is there, which stays where it is.
    Pattern own{960, {{480, 0, "hihat", 0.5}}};
    const Pattern both = together(own, take);
    EXPECT_EQ(both.notes.size(), 51U);
    const auto hat = std::find_if(both.notes.begin(), both.notes.end(),
                                  [](const Note& note) { return note.drum == "hihat"; });
    ASSERT_NE(hat, both.notes.end());
    EXPECT_NEAR(secondsOf(both, *hat, time), secondsOf(own, own.notes[0], time), 1e-9);
}

}  // namespace
}  // namespace ember
