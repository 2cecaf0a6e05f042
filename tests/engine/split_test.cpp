// Rows in several streams: nothing is lost, each is heard alone, and what they do stays theirs.
#include "core/session/split.h"

#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/session/diff.h"
#include "core/session/file.h"
#include "core/session/graph.h"
#include "core/session/kit.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

AudioBuffer mixed(const Session& session) {
    RenderOptions options;
    options.to = 6.0;
    return renderMix(session, test::sharedStore(), options);
}

double differenceDb(const AudioBuffer& a, const AudioBuffer& b) {
    double worst = 0.0;
    for (std::size_t c = 0; c < 2; ++c) {
        const std::size_t frames = std::min(a.channels[c].size(), b.channels[c].size());
        for (std::size_t i = 0; i < frames; ++i)
            worst = std::max(worst, std::abs(static_cast<double>(a.channels[c][i]) -
                                             static_cast<double>(b.channels[c][i])));
    }
    return dbFromGain(worst);
}

TEST(Split, StreamsThatDoNothingSumToTheRow) {
    const Session& kit = test::shortSession();
    const AudioBuffer before = mixed(kit);
    for (const char* row : {"snare-top", "overhead", "drum-bus"}) {
        for (const SplitKind& kind : splitKinds()) {
            const Session split = withSplit(kit, row, kind.id);
            EXPECT_EQ(validate(split), "");
            EXPECT_GE(splitOf(split, row).size(), 2U);
            EXPECT_LE(differenceDb(before, mixed(split)), -120.0) << row << " " << kind.id;
            const Session joined = withSplitJoined(split, row);
            EXPECT_EQ(joined, kit) << row << " " << kind.id;
            for (const std::string& said : diff(split, joined).sentences())
                EXPECT_EQ(said.find(splitOf(split, row).back()), std::string::npos)
                    << said << ": a name, and no id";
        }
    }
}

TEST(Split, AStreamHasAChainOfItsOwnAndIsHeardAlone) {
    Session s = withSplit(test::shortSession(), "snare-top", "bands");
    const std::vector<std::string> streams = splitOf(s, "snare-top");
    ASSERT_EQ(streams.size(), 2U);
    EXPECT_EQ(findRow(s, streams[0])->name, "Snare Top Lows");
    EXPECT_EQ(findRow(s, streams[1])->name, "Snare Top Rest");
    // They stand behind what feeds them, and belong to its group as it does.
    const auto at = [&](const std::string& id) { return findRow(s, id) - s.rows.data(); };
    EXPECT_EQ(at(streams[0]), at("snare-top") + 1);
    EXPECT_EQ(at(streams[1]), at("snare-top") + 2);
    const int group = groupOf(test::shortSession(), *findRow(test::shortSession(), "snare-top"));
    for (const std::string& id : {std::string("snare-top"), streams[0], streams[1]})
        EXPECT_EQ(groupOf(s, *findRow(s, id)), group) << id;
    EXPECT_EQ(stemGroupOf(s, *findRow(s, "snare-top")), "snare-bus");
    // Turned off, what is left is the other band.
    const Session without = withValue(s, streams[1], "seat", "level", -60.0);
    Session alone = s;
    requireRow(alone, streams[0]).solo = true;
    const AudioBuffer lows = mixed(alone);
    EXPECT_LT(test::peakAboveDb(lows.channels[0], 2400.0, 48000.0),
              test::peakDb(lows.channels[0]) - 40.0);
    EXPECT_GT(differenceDb(mixed(s), mixed(without)), -40.0);
    // Both move their corner together.
    const Session moved = withSplitCorner(s, "snare-top", "lower", 400.0);
    EXPECT_LE(differenceDb(mixed(s), mixed(moved)), -120.0);
    EXPECT_THROW((void)withSplitCorner(s, "snare-top", "upper", 400.0), Error);
    EXPECT_EQ(documentFromJson(toJson(Document(s)), "s").session(), s);
}

TEST(Split, SaysWhatCannotBe) {
    const Session& kit = test::shortSession();
    EXPECT_NE(test::errorOf([&] { (void)withSplit(kit, "main", "sides"); }).find("feeds nothing"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] { (void)withSplit(kit, "hat", "colour"); }).find("known are sides"),
              std::string::npos);
    const Session once = withSplit(kit, "hat", "three");
    EXPECT_NE(test::errorOf([&] { (void)withSplit(once, "hat", "sides"); }).find("split already"),
              std::string::npos);
    EXPECT_THROW((void)withSplitJoined(kit, "hat"), Error);
    // A send to somebody else's stream is no split.
    const Session sent = withSend(once, "ride", {splitOf(once, "hat").front()});
    EXPECT_TRUE(splitOf(sent, "ride").empty());
}

}  // namespace
}  // namespace ember
