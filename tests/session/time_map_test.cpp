// The song's time: places and seconds agree both ways round, whatever changes on the way.

#include "core/session/time_map.h"

#include "core/base/random.h"
#include "core/session/midi_time.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

using test::errorOf;

int whole(Random& random, int low, int high) {
    return low + static_cast<int>(random.uniform() * (high - low + 1));
}

// A map with changes drawn at random.
TimeMap drawn(std::uint64_t seed) {
    Random random(seed);
    TimeMap map = steadyTime(random.uniform(40.0, 220.0), random.uniform(-3.0, 5.0),
                             whole(random, 2, 7), 1 << whole(random, 2, 3));
    for (int i = whole(random, 0, 6); i > 0; --i)
        map = withTempoFrom(std::move(map), whole(random, 0, 40), random.uniform(40.0, 220.0));
    for (int i = whole(random, 0, 4); i > 0; --i)
        map = withMetreFrom(std::move(map), whole(random, 0, 40), whole(random, 1, 12),
                            1 << whole(random, 1, 4));
    return map;
}

TEST(TimeMap, ASteadyOneCountsAsAClockDoes) {
    const TimeMap map = steadyTime(120.0, 1.0);
    EXPECT_DOUBLE_EQ(secondsOfBar(map, 0), 1.0);
    EXPECT_DOUBLE_EQ(secondsOfBar(map, 3), 7.0);
    EXPECT_DOUBLE_EQ(secondsOfBar(map, -1), -1.0);
    EXPECT_EQ(barAt(map, 0.99), -1);
    EXPECT_EQ(barAt(map, 1.0), 0);
    EXPECT_DOUBLE_EQ(placeAt(map, 2.75).beat, 3.5);
    EXPECT_DOUBLE_EQ(nearestBeat(map, 2.3), 2.5);
    EXPECT_DOUBLE_EQ(nextBeat(map, 2.01), 2.5);
    EXPECT_DOUBLE_EQ(beatsLater(map, 2.75, 2), 3.75);
    EXPECT_DOUBLE_EQ(beatsLater(map, 1.0, -1), 0.5);
    EXPECT_DOUBLE_EQ(barsLater(map, 2.75, -1), 0.75);
    EXPECT_EQ(tempoText(map), "120.00 bpm");
    EXPECT_EQ(metreText(map), "4/4");
}

TEST(TimeMap, ChangesHoldFromTheirBarOn) {
    TimeMap map = withTempoFrom(steadyTime(120.0), 2, 60.0);
    map = withMetreFrom(std::move(map), 3, 7, 8);
    EXPECT_DOUBLE_EQ(secondsOfBar(map, 2), 4.0);
    EXPECT_DOUBLE_EQ(secondsOfBar(map, 3), 8.0);
    EXPECT_DOUBLE_EQ(secondsOfBar(map, 4), 11.5) << "seven eighths at 60";
    EXPECT_DOUBLE_EQ(tempoAt(map, 3.99), 120.0);
    EXPECT_DOUBLE_EQ(tempoAt(map, 4.0), 60.0);
    EXPECT_EQ(metreText(map), "4/4 and 7/8");
    EXPECT_EQ(withoutChangesAt(map, 3).metres.size(), 1U);
    EXPECT_EQ(withoutChangesAt(map, 2).tempos.size(), 1U);
    EXPECT_EQ(withoutChangesAt(map, 0), map) << "what the song begins with stays";
}

TEST(TimeMap, PlacesAndSecondsAgreeBothWays) {
    for (std::uint64_t seed = 1; seed <= 60; ++seed) {
        const TimeMap map = drawn(seed);
        ASSERT_EQ(problemIn(map), "") << seed;
        Random random(seed + 1000);
        double last = -1e9;
        for (int bar = -3; bar < 50; ++bar) {
            const double at = secondsOfBar(map, bar);
            EXPECT_GT(at, last);
            last = at;
            EXPECT_EQ(barAt(map, at), bar) << seed;
        }
        for (int i = 0; i < 40; ++i) {
            const double at = random.uniform(-10.0, 120.0);
            EXPECT_NEAR(secondsAt(map, quarterAt(map, at)), at, 1e-9) << seed;
            EXPECT_NEAR(secondsAt(map, placeAt(map, at)), at, 2e-6) << seed;
            EXPECT_GE(nextBeat(map, at), at - 1e-6);
            EXPECT_LE(std::abs(nearestBeat(map, at) - at), nextBeat(map, at) - at + 1e-6);
            const double later = beatsLater(map, at, 5);
            EXPECT_NEAR(beatsLater(map, later, -5), at, 2e-6) << seed;
        }
    }
}

TEST(TimeMap, FromZeroOnTheSameBarsStandInAFile) {
    for (std::uint64_t seed = 1; seed <= 60; ++seed) {
        const TimeMap map = drawn(seed), file = fromZero(map);
        ASSERT_EQ(problemIn(file), "") << seed << " " << timeKey(file);
        int bar = 0;
        while (secondsOfBar(map, bar) < 0.4) ++bar;
        const int shift = barAt(file, secondsOfBar(map, bar)) - bar;
        EXPECT_GE(shift + bar, 0);
        for (int b = bar; b < 50; ++b)
            EXPECT_NEAR(secondsOfBar(file, b + shift), secondsOfBar(map, b), 1e-6) << seed;
        EXPECT_EQ(secondsOfBar(file, 0), 0.0);
    }
}

TEST(TimeMap, GoesThroughBarsThatWerePlayed) {
    const std::vector<double> bars{0.5, 2.5, 4.4, 6.5, 8.4};
    const TimeMap map = throughBars(bars, {0, 4, 4});
    for (std::size_t b = 0; b < bars.size(); ++b)
        EXPECT_NEAR(secondsOfBar(map, static_cast<int>(b)), bars[b], 1e-9);
    EXPECT_NE(errorOf([] { throughBars({1.0}, {0, 4, 4}); }), "");
    EXPECT_NE(errorOf([] {
                  throughBars({1.0, 1.1}, {0, 4, 4});
              }).find("20 to 400"),
              std::string::npos);
}

TEST(TimeMap, RefusesWhatIsNoTime) {
    EXPECT_NE(problemIn({0.0, {}, {{}}}), "");
    EXPECT_NE(problemIn({0.0, {{}}, {}}), "");
    EXPECT_NE(problemIn({0.0, {{1.0, 120.0}}, {{}}}), "");
    EXPECT_NE(problemIn({0.0, {{0.0, 120.0}, {0.0, 90.0}}, {{}}}), "");
    EXPECT_NE(problemIn({0.0, {{0.0, 500.0}}, {{}}}), "");
    EXPECT_NE(problemIn({0.0, {{}}, {{0, 4, 3}}}), "");
    EXPECT_NE(problemIn({NAN, {{}}, {{}}}), "");
    EXPECT_NE(errorOf([] { withTempoFrom({}, 0, 19.0); }).find("20 to 400"), std::string::npos);
    for (const char* text : {"", "x", "4/", "/4", "4/5", "0/4", "40/4", "4/4/4", "-3"})
        EXPECT_NE(errorOf([&] { metreFrom(text); }), "") << text;
    EXPECT_EQ(metreFrom("7/8"), (MetreChange{0, 7, 8}));
    EXPECT_EQ(metreFrom("3"), (MetreChange{0, 3, 4}));
}

// A MIDI file of one track with these bytes.
std::string midi(const std::string& track, int division = 480) {
    const auto number = [](std::size_t n, int bytes) {
        std::string out;
        for (int b = bytes - 1; b >= 0; --b)
            out += static_cast<char>((n >> (8U * static_cast<unsigned>(b))) & 0xFFU);
        return out;
    };
    return "MThd" + number(6, 4) + number(0, 2) + number(1, 2) +
           number(static_cast<std::size_t>(division), 2) + "MTrk" + number(track.size(), 4) + track;
}

const std::string kEnd("\x00\xFF\x2F\x00", 4);

TEST(MidiTime, ReadsTempiAndMetresInOrder) {
    // 4/4 and 120; after four bars (7680 pulses) 60 and 7/8.
    const std::string track = std::string("\x00\xFF\x58\x04\x04\x02\x18\x08", 8) +
                              std::string("\x00\xFF\x51\x03\x07\xA1\x20", 7) +
                              std::string("\xBC\x00\xFF\x51\x03\x0F\x42\x40", 8) +
                              std::string("\x00\xFF\x58\x04\x07\x03\x18\x08", 8) + kEnd;
    const TimeMap map = midiTime(midi(track), "a.mid");
    EXPECT_EQ(map, (TimeMap{0.0, {{0.0, 120.0}, {16.0, 60.0}}, {{0, 4, 4}, {4, 7, 8}}}));
    EXPECT_EQ(midiTime(midi(kEnd), "b.mid"), TimeMap{}) << "120 and 4/4 where nothing is said";
}

TEST(MidiTime, RefusesWithASentence) {
    const auto why = [](const std::string& bytes) {
        return errorOf([&] { midiTime(bytes, "x.mid"); });
    };
    EXPECT_NE(why("").find("no MIDI file"), std::string::npos);
    EXPECT_NE(why("RIFF and more than fourteen bytes").find("no MIDI file"), std::string::npos);
    EXPECT_NE(why(midi(kEnd).substr(0, 20)).find("x.mid"), std::string::npos);
    EXPECT_NE(why(midi(kEnd, 0xE728)).find("film frames"), std::string::npos);
    EXPECT_NE(why(midi(std::string("\x00\xFF\x51\x03\x00\x00\x01", 7) + kEnd)).find("20 to 400"),
              std::string::npos);
    const test::TempFolder folder;
    EXPECT_NE(errorOf([&] { loadMidiTime(folder / "none.mid"); }).find("could not be opened"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
