// Two mixes beside each other in figures, all rows of a mix at once, and what is looked at before a
// mix leaves.

#include "core/report/mix_figures.h"

#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/engine/trace.h"
#include "core/report/delivery.h"
#include "core/report/shortest_chain.h"
#include "core/session/graph.h"
#include "tests/support/measured_kit.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::sharedStore;

constexpr double kFrom = 2.0, kTo = 8.0;

const std::vector<Stroke>& strokes() {
    return test::measuredKit().kit.strokes.strokes;
}
const Session& kit() {
    return test::measuredKit().session;
}

const ComparedRow& rowOf(const MixComparison& c, const std::string& id) {
    return *std::find_if(c.rows.begin(), c.rows.end(),
                         [&](const ComparedRow& r) { return r.row == id; });
}

TEST(RenderRows, GivesEveryRowAsItStandsInTheMix) {
    RenderOptions options;
    options.from = kFrom;
    options.to = kTo;
    const std::vector<RowAudio> rows = renderRows(kit(), sharedStore(), options);
    const AudioBuffer mix = renderMix(kit(), sharedStore(), options);
    double residue = 0.0;
    bool main = false;
    for (const RowAudio& row : rows) {
        ASSERT_EQ(row.audio.frames(), mix.frames()) << row.row;
        EXPECT_NE(findRow(kit(), row.row)->kind, RowKind::reference);
        main = main || row.row == mainRow(kit());
        if (row.row == mainRow(kit())) {
            for (std::size_t i = 0; i < mix.frames(); ++i)
                residue = std::max<double>(residue,
                                           std::abs(row.audio.channels[0][i] - mix.channels[0][i]));
        }
    }
    EXPECT_TRUE(main);
    EXPECT_LT(residue, 1e-6) << "with nothing that remembers for longer than ten seconds";
    options.from = 1e5;
    options.to = -1.0;
    EXPECT_THROW(renderRows(kit(), sharedStore(), options), Error);
}

TEST(CompareMixes, FindsALevelAndNothingElse) {
    const Session louder = withValue(kit(), "snare-top", "seat", "level", 6.0);
    const MixComparison c = compareMixes(kit(), louder, sharedStore(), strokes(), kFrom, kTo);
    EXPECT_EQ(c.from, kFrom);
    EXPECT_NEAR(c.to, kTo, 1e-6);
    ASSERT_EQ(c.settings.size(), 1U);
    EXPECT_NE(c.settings.front().find("Snare Top"), std::string::npos);
    const ComparedRow& snare = rowOf(c, "snare-top");
    EXPECT_NEAR(snare.b->levels.integrated - snare.a->levels.integrated, 6.0, 0.05);
    EXPECT_NEAR(snare.b->punch.crestDb, snare.a->punch.crestDb, 0.01);
    EXPECT_NEAR(snare.b->punch.transientToBodyDb, snare.a->punch.transientToBodyDb, 0.01);
    const ComparedRow& hat = rowOf(c, "hat");
    EXPECT_EQ(hat.a, hat.b) << "who was left alone sounds the same";
    EXPECT_LT(c.gainDb, -0.1) << "the second is louder and is turned down";
    EXPECT_GT(c.differenceDb, -40.0);
    EXPECT_EQ(c.rows.back().row, mainRow(kit()));
    // The gain that the player uses is the same figure.
    EXPECT_NEAR(mixGainDb(louder, kit(), sharedStore(), {}, kFrom, kTo), c.gainDb, 0.05);
}

TEST(CompareMixes, AMixIsItself) {
    const MixComparison c = compareMixes(kit(), kit(), sharedStore(), strokes(), kFrom, kTo);
    EXPECT_TRUE(c.settings.empty());
    EXPECT_EQ(c.gainDb, 0.0);
    EXPECT_LE(c.differenceDb, -140.0);
    for (const ComparedRow& row : c.rows) EXPECT_EQ(row.a, row.b) << row.row;
}

TEST(CompareMixes, AGainAloneIsNoDifference) {
    const Session louder = withValue(kit(), mainRow(kit()), "seat", "level", 3.0);
    const MixComparison c = compareMixes(kit(), louder, sharedStore(), strokes(), kFrom, kTo);
    EXPECT_NEAR(c.gainDb, -3.0, 0.05);
    EXPECT_LT(c.differenceDb, -45.0) << "what is left is the loudness meter's rounding";
}

TEST(CompareMixes, SeesPunchLostAndARowThatOneDoesNotHave) {
    Session pressed = withStageAdded(kit(), "snare-top", "clipper");
    pressed = withValue(std::move(pressed), "snare-top", "clipper", "ceiling", -24.0);
    std::erase_if(pressed.rows, [](const Row& row) { return row.id == "ride"; });
    const MixComparison c = compareMixes(kit(), pressed, sharedStore(), strokes(), kFrom, kTo);
    const ComparedRow& snare = rowOf(c, "snare-top");
    EXPECT_LT(snare.b->punch.crestDb, snare.a->punch.crestDb - 1.0);
    const ComparedRow& ride = rowOf(c, "ride");
    EXPECT_TRUE(ride.a.has_value());
    EXPECT_FALSE(ride.b.has_value());
    EXPECT_THROW(compareMixes(kit(), pressed, sharedStore(), strokes(), kFrom, kTo,
                              [](double, const std::string&) { return false; }),
                 Cancelled);
}

TEST(ShortestChain, FindsWhatCouldGoAndKeepsWhatIsHeard) {
    Session s = kit();
    for (Row& row : s.rows) {
        for (Stage& stage : row.chain) stage.on = stage.on && belongsToRow(stage);
    }
    s = withValue(std::move(s), "snare-top", "eq", "b3.on", 1.0);
    s = withValue(std::move(s), "snare-top", "eq", "b3.gain", 9.0);
    s = withValue(std::move(s), "hat", "eq", "b3.on", 1.0);
    s = withValue(std::move(s), "hat", "eq", "b3.gain", 0.005);
    s = withValue(std::move(s), "ride", "eq", "b3.on", 1.0);
    s = withValue(std::move(s), "ride", "eq", "b3.gain", 0.01);
    const std::vector<StepWorth> worths = stepWorths(s, sharedStore(), kFrom, kTo);
    ASSERT_EQ(worths.size(), 3U);
    for (const StepWorth& worth : worths) {
        const bool heard = worth.row == "snare-top";
        EXPECT_EQ(worth.couldGo(), !heard) << worthText(s, worth);
        EXPECT_NE(worthText(s, worth).find(heard ? "stays" : "could go"), std::string::npos);
        EXPECT_LE(worth.mixDb, worth.rowDb + 1e-9);
    }
    // What is said holds in the mix itself.
    Session without = s;
    requireStage(requireRow(without, "hat"), "eq").on = false;
    EXPECT_LT(compareMixes(s, without, sharedStore(), {}, kFrom, kTo).differenceDb, kUnheardDb);
}

TEST(ShortestChain, WhatKeepsARowSilentOrSoftStays) {
    Session s = kit();
    for (Row& row : s.rows) {
        for (Stage& stage : row.chain) stage.on = stage.on && belongsToRow(stage);
    }
    // Nothing of a hat passes a gate that never opens.
    s = withValue(std::move(s), "hat", "gate", "threshold", 0.0);
    s = withValue(std::move(s), "hat", "gate", "floor", -90.0);
    s = withStageOn(std::move(s), "hat", "gate", true);
    const std::vector<StepWorth> worths = stepWorths(s, sharedStore(), kFrom, kTo);
    const auto gate = std::find_if(worths.begin(), worths.end(),
                                   [](const StepWorth& worth) { return worth.stage == "gate"; });
    ASSERT_NE(gate, worths.end());
    EXPECT_FALSE(gate->couldGo()) << worthText(s, *gate);
    EXPECT_LT(gate->mixDb, 0.0);
    // Nor is one that keeps it soft by the same amount all the time.
    s = withValue(std::move(s), "hat", "gate", "floor", -20.0);
    for (const StepWorth& worth : stepWorths(s, sharedStore(), kFrom, kTo))
        EXPECT_FALSE(worth.couldGo()) << worthText(s, worth);
}

TEST(ShortestChain, WhatGoesTogetherIsNotHeardTogether) {
    Session s = kit();
    for (Row& row : s.rows) {
        for (Stage& stage : row.chain) stage.on = stage.on && belongsToRow(stage);
    }
    // Each alone could go; they all bend the same way and add up.
    for (const char* row : {"snare-top", "kick-in", "overhead", "hat", "floor-tom", "ride"}) {
        s = withValue(std::move(s), row, "eq", "b3.on", 1.0);
        s = withValue(std::move(s), row, "eq", "b3.gain", 0.012);
    }
    const std::vector<StepWorth> worths = stepWorths(s, sharedStore(), kFrom, kTo);
    const auto could = static_cast<std::size_t>(std::count_if(
        worths.begin(), worths.end(), [](const StepWorth& worth) { return worth.couldGo(); }));
    const ShortestChain shortest = shortestChain(s, sharedStore(), worths, kFrom, kTo);
    ASSERT_GE(could, 2U);
    ASSERT_GE(shortest.go.size(), 1U);
    EXPECT_LE(shortest.go.size(), could);
    const Session without = withStepsOff(s, shortest.steps());
    const double differs = compareMixes(s, without, sharedStore(), {}, kFrom, kTo).differenceDb;
    EXPECT_LT(differs, kUnheardDb);
    EXPECT_NEAR(differs, shortest.mixDb, 0.5);
    EXPECT_NE(shortestText(s, shortest).find("could go"), std::string::npos);
    EXPECT_NE(shortestText(s, {}).find("No step could go"), std::string::npos);
    EXPECT_THROW(withStepsOff(s, {{"hat", "nothing"}}), Error);
}

const DeliveryCheck* checkOf(const std::vector<DeliveryCheck>& checks, const std::string& what) {
    const auto at = std::find_if(checks.begin(), checks.end(),
                                 [&](const DeliveryCheck& c) { return c.what == what; });
    return at == checks.end() ? nullptr : &*at;
}

TEST(Delivery, SaysWhatIsFineAndWhatIsNotWithTheRemedy) {
    using State = DeliveryCheck::State;
    const Session& quiet = test::shortSession();
    std::vector<DeliveryCheck> checks = checkDelivery(quiet, sharedStore());
    for (const char* what :
         {"Recordings", "Mutes", "Headroom", "True peak", "Loudness", "Mono", "Tail"})
        ASSERT_NE(checkOf(checks, what), nullptr) << what;
    EXPECT_EQ(checkOf(checks, "Recordings")->state, State::fine);
    EXPECT_EQ(checkOf(checks, "Headroom")->state, State::fine);
    EXPECT_EQ(checkOf(checks, "Solo"), nullptr);

    Session hot = withValue(quiet, mainRow(quiet), "seat", "level", 12.0);
    hot = withValue(std::move(hot), "drum-bus", "seat", "level", 12.0);
    requireRow(hot, "hat").mute = true;
    requireRow(hot, "snare-top").solo = true;
    requireRow(hot, "kick-in").solo = true;
    checks = checkDelivery(hot, sharedStore());
    EXPECT_EQ(checkOf(checks, "Headroom")->state, State::problem);
    EXPECT_NE(checkOf(checks, "Headroom")->sentence.find("lower the main by"), std::string::npos);
    EXPECT_EQ(checkOf(checks, "True peak")->state, State::attention);
    EXPECT_EQ(checkOf(checks, "Mutes")->state, State::attention);
    EXPECT_NE(checkOf(checks, "Mutes")->sentence.find("Hat is muted"), std::string::npos);
    EXPECT_EQ(checkOf(checks, "Solo")->state, State::problem);
    EXPECT_NE(checkOf(checks, "Solo")->sentence.find("Kick In and Snare Top"), std::string::npos)
        << checkOf(checks, "Solo")->sentence;

    // One side upside down is lost in mono.
    Session turned = quiet;
    requireRow(turned, "overhead");
    turned = withValue(std::move(turned), "overhead", "align", "right-polarity", 1.0);
    for (Row& row : turned.rows) row.solo = row.id == "overhead";
    checks = checkDelivery(turned, sharedStore());
    EXPECT_EQ(checkOf(checks, "Mono")->state, State::attention);

    // A step that stands over full scale, though its row is turned down behind it.
    Session inside = quiet;
    for (const char* row : {"kick-in", "snare-top"})
        inside = withStageOn(std::move(inside), row, "eq", true);
    checks = checkDelivery(inside, sharedStore());
    const DeliveryCheck unmoved = *checkOf(checks, "Inside the chains");
    EXPECT_NE(unmoved.row, "snare-top") << unmoved.sentence;
    inside = withValue(std::move(inside), "snare-top", "eq", "output", 24.0);
    inside = withValue(std::move(inside), "snare-top", "seat", "level", -24.0);
    checks = checkDelivery(inside, sharedStore());
    ASSERT_NE(checkOf(checks, "Inside the chains"), nullptr);
    EXPECT_EQ(checkOf(checks, "Inside the chains")->state, State::attention);
    EXPECT_EQ(checkOf(checks, "Inside the chains")->row, "snare-top");
    EXPECT_EQ(checkOf(checks, "Headroom")->state, State::fine);

    Session silent = quiet;
    for (Row& row : silent.rows) row.mute = hasSources(row.kind);
    checks = checkDelivery(silent, sharedStore());
    ASSERT_NE(checkOf(checks, "Silence"), nullptr);
    EXPECT_EQ(checkOf(checks, "Silence")->state, State::problem);

    Session gone = quiet;
    gone.rows.front().sources.front().file = "/nowhere/kick.wav";
    gone.rows.front().sources.front().hash.clear();
    checks = checkDelivery(gone, sharedStore());
    EXPECT_EQ(checkOf(checks, "Recordings")->state, State::problem);
}

// Two microphones at one drum, one of them the wrong way round.
TEST(Delivery, NamesAMicrophoneThatTakesFromTheOthers) {
    using State = DeliveryCheck::State;
    const test::TempFolder folder;
    std::vector<float> low = test::sine(70.0, 0.2, 5 * 48000, 48000.0), turned = low;
    for (float& x : turned) x *= -0.7F;
    test::writeMono(folder / "in.wav", low);
    test::writeMono(folder / "out.wav", turned);
    Session s = test::twoElements(folder / "in.wav", folder / "out.wav");
    for (const char* row : {"one", "two"}) requireRow(s, row).drum = "kick";
    const auto phase = [&] {
        const auto checks = checkDelivery(s, sharedStore());
        const DeliveryCheck* check = checkOf(checks, "Phase");
        return check != nullptr ? *check : DeliveryCheck{};
    };
    const DeliveryCheck wrong = phase();
    EXPECT_EQ(wrong.state, State::attention);
    EXPECT_TRUE(wrong.row == "one" || wrong.row == "two") << wrong.sentence;
    EXPECT_NE(wrong.sentence.find("turned over"), std::string::npos);
    s = withValue(std::move(s), wrong.row, "align", "polarity", 1.0);
    EXPECT_EQ(phase().state, State::fine) << phase().sentence;
}

}  // namespace
}  // namespace ember
