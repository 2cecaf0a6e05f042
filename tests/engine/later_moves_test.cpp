// Moves that wait for their place in the song: in a plan, through latency, loop, seek and stop.
#include "core/engine/song_place.h"
#include "tests/engine/live.h"

#include <gtest/gtest.h>

namespace ember {
namespace {

using test::frameAt;
using test::Live;

constexpr PlanMove kMute{Move::Kind::mute, 0, 0, 0, 1.0};
constexpr PlanMove kReturn{Move::Kind::mute, 0, 0, 0, 0.0};

// A tone that never stops, through a compressor that is late by its look-ahead.
struct Tone {
    test::TempFolder folder;
    Session session;

    explicit Tone(double lookAhead = 0.0) {
        test::writeMono(folder / "tone.wav", test::sine(997.0, 0.5, 6 * 48000, test::kLiveRate));
        session = test::oneElement(folder / "tone.wav");
        session = withValue(std::move(session), "one", "compressor", "look-ahead", lookAhead);
        session = withStageOn(std::move(session), "one", "compressor", lookAhead > 0.0);
        session = withValue(std::move(session), "one", "compressor", "ratio", 1.0);
    }
};

// The last place at which two runs are alike.
std::size_t alikeUntil(const std::vector<float>& a, const std::vector<float>& b) {
    std::size_t i = 0;
    while (i < a.size() && i < b.size() && a[i] == b[i]) ++i;
    return i;
}

float loudest(const std::vector<float>& x, std::size_t from, std::size_t to) {
    float most = 0.0F;
    for (std::size_t i = from; i < std::min(to, x.size()); ++i)
        most = std::max(most, std::abs(x[i]));
    return most;
}

TEST(LaterMoves, AreHeardFromTheirPlaceOfTheSongOnHoweverLateARowIs) {
    for (const double lookAhead : {0.0, 9.0}) {
        const Tone tone(lookAhead);
        for (const std::size_t at : {frameAt(0.7), frameAt(0.7) + 37}) {
            constexpr std::size_t kPlayed = 4800;
            Live open(tone.session), muted(tone.session);
            EXPECT_EQ(open.late > 400, lookAhead > 0.0) << open.late;
            for (Live* live : {&open, &muted}) live->playFrom(0.0, kPlayed);
            muted.engine.move(kMute, 0, static_cast<Frames>(at));
            const std::vector<float> whole = open.take(72000), heard = muted.take(72000);
            const std::size_t from = kPlayed + alikeUntil(whole, heard);
            EXPECT_GE(from + kBlock, at) << lookAhead;
            EXPECT_LE(from, at + kBlock) << lookAhead;
            EXPECT_LT(loudest(heard, at - kPlayed + 12000, heard.size()), 1e-5F);
        }
    }
}

TEST(LaterMoves, AreMadeAtOnceWhereTheSongStands) {
    const Tone tone;
    Live live(tone.session);
    live.engine.move(kMute, 0, 48000);
    EXPECT_LT(loudest(live.playFrom(0.0, 9600), 7200, 9600), 1e-5F);
}

TEST(LaterMoves, WaitThroughTheLoopAndNotThroughASeekOrAStop) {
    const Tone tone;
    Live live(tone.session);
    live.engine.setLoop(true, 0, 48000);
    live.playFrom(0.0, 45000);
    // A tenth of a second behind the loop's beginning, that is in 7 800 frames.
    live.engine.move(kMute, 0, 4800);
    std::vector<float> heard = live.take(24000);
    EXPECT_GT(loudest(heard, 7000, 7500), 0.4F);
    EXPECT_LT(loudest(heard, 14000, 24000), 1e-4F);
    live.engine.move(kReturn);
    live.take(9600);
    live.engine.setLoop(false, 0, 0);
    live.engine.seek(0);
    live.take(4800);
    // What was waited for is not there any more.
    live.engine.move(kMute, 0, 96000);
    EXPECT_GT(loudest(live.take(4800), 2400, 4800), 0.4F);
    live.engine.seek(96000 + 48000);
    EXPECT_LT(loudest(live.take(24000), 14000, 24000), 1e-4F);
    live.engine.move(kReturn);
    live.take(9600);
    live.engine.move(kMute, 0, 96000 + 3 * 48000);
    live.engine.stop();
    live.take(4800);
    live.engine.play();
    EXPECT_LT(loudest(live.take(24000), 14000, 24000), 1e-4F);
}

TEST(LaterMoves, GiveWayToWhatIsMovedAfterThem) {
    const Tone tone;
    Live live(tone.session);
    live.playFrom(0.0, 4800);
    live.engine.move(kMute, 0, 24000);
    live.take(4800);
    // Thought better of it.
    live.engine.move(kReturn);
    const std::vector<float> heard = live.take(48000);
    EXPECT_GT(loudest(heard, 40000, 48000), 0.4F);
    // More than can wait are made at once, and nothing is lost.
    const Row& row = *findRow(tone.session, "one");
    const auto eq = static_cast<int>(findStage(row, "eq") - row.chain.data());
    const std::vector<double>& values = findStage(row, "eq")->values;
    ASSERT_GT(values.size(), 40U);
    for (int n = 0; n < 40; ++n)
        live.engine.move({Move::Kind::value, 0, eq, n, values[static_cast<std::size_t>(n)]}, 0,
                         480000);
    live.engine.move(kMute, 0, 480000);
    EXPECT_LT(loudest(live.take(24000), 14000, 24000), 1e-4F);
}

TEST(SongPlace, SaysHowLongItTakesToAnotherPlace) {
    SongPlace place{48000, true, 48000.0};
    EXPECT_EQ(place.until(48100), 100);
    EXPECT_EQ(place.until(47900), -100) << "only just gone by";
    EXPECT_FALSE(place.until(10000)) << "long gone by";
    EXPECT_FALSE(place.until(48000 * 20)) << "too far to wait for";
    EXPECT_FALSE(place.until(-1));
    place.loopFrom = 9600;
    place.loopTo = 57600;
    EXPECT_EQ(place.until(9600), 9600);
    EXPECT_EQ(place.until(12000), 12000);
    EXPECT_EQ(place.until(50000), 2000);
    EXPECT_FALSE(place.until(57600)) << "the loop turns back there";
    EXPECT_FALSE(place.until(100)) << "not in the loop";
    place.position = 96000;  // behind the loop: it does not turn back any more
    EXPECT_EQ(place.until(98000), 2000);
    EXPECT_FALSE(place.until(9600));
    place.playing = false;
    EXPECT_FALSE(place.until(98000));
}

}  // namespace
}  // namespace ember
