// Sends, edges and keys of buses: what arrives, when it arrives, and who is heard.
#include "core/base/units.h"
#include "core/dsp/seat.h"
#include "core/engine/engine.h"
#include "core/engine/render.h"
#include "core/session/file.h"
#include "core/session/graph.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <cmath>

namespace ember {
namespace {

using test::TempFolder;

// Two elements, each in a bus of its own, and a parallel bus that nothing feeds yet.
struct Kit {
    TempFolder folder;
    Session session;

    explicit Kit(const std::vector<float>& one = std::vector<float>(48000, 0.25F),
                 const std::vector<float>& two = std::vector<float>(48000, 0.5F)) {
        test::writeMono(folder / "a.wav", one);
        test::writeMono(folder / "b.wav", two);
        session = withBusAdded(test::twoElements(folder / "a.wav", folder / "b.wav"), "parallel");
    }
    [[nodiscard]] Session sent(const char* row, Send send = {}) const {
        if (send.to.empty()) send.to = "parallel";
        return withSend(session, row, send);
    }
};

AudioBuffer mixOf(const Session& session) {
    return renderMix(session, test::sharedStore(), {});
}
double levelOf(const Session& session, int channel = 0) {
    return static_cast<double>(mixOf(session).channels[static_cast<std::size_t>(channel)][24000]);
}

TEST(Sends, AddWhatIsSentAtItsLevelBehindTheFader) {
    const Kit kit;
    Send send;
    send.levelDb = -6.0;
    Session s = kit.sent("one", send);
    const double g = gainFromDb(-6.0);
    EXPECT_NEAR(levelOf(s), 0.75 + g * 0.25, 1e-6);
    s = withValue(std::move(s), "one", "seat", "level", -12.0);
    EXPECT_NEAR(levelOf(s), 0.5 + (1.0 + g) * gainFromDb(-12.0) * 0.25, 1e-6);
    send.to = "parallel";
    send.on = false;
    EXPECT_NEAR(levelOf(withSend(s, "one", send)), 0.5 + gainFromDb(-12.0) * 0.25, 1e-6);
    send.on = true;
    send.levelDb = kSendLowest;
    EXPECT_NEAR(levelOf(withSend(s, "one", send)), 0.5 + gainFromDb(-12.0) * 0.25, 1e-6)
        << "the lower end is silence";
}

TEST(Sends, BeforeTheFaderKnowNoLevelAndNoPanButMute) {
    const Kit kit;
    Send send;
    send.before = true;
    Session s = withValue(kit.sent("one", send), "one", "seat", "level", -20.0);
    s = withValue(std::move(s), "one", "seat", "pan", -100.0);
    EXPECT_NEAR(levelOf(s, 1), 0.5 + 0.25, 1e-6);
    requireRow(s, "one").mute = true;
    EXPECT_NEAR(levelOf(s, 1), 0.5, 1e-9) << "what is muted is sent nowhere";
}

TEST(Sends, PanByTheLawsOfTheSeat) {
    const Kit kit;
    for (const bool before : {false, true}) {
        Send send;
        send.before = before;
        send.pan = 40.0;
        const Session s = kit.sent("one", send);
        const PanGains gains = before ? panMono(0.4) : panStereo(0.4);
        EXPECT_NEAR(levelOf(s, 0), 0.75 + gains.left * 0.25, 1e-6) << before;
        EXPECT_NEAR(levelOf(s, 1), 0.75 + gains.right * 0.25, 1e-6) << before;
    }
}

TEST(Sends, ArriveTogetherWithWhatTheyStandBeside) {
    const auto noise = test::noise(0.3, 48000, 3);
    const Kit kit(noise, std::vector<float>(48000, 0.0F));
    Session s = kit.sent("one");
    s.rows[4].parent = "right";  // the parallel goes through one bus more
    requireRow(s, "right").parent = "main";
    for (const char* late : {"parallel", "right", "left"}) {
        const Session waits =
            withStageOn(withValue(withStageAdded(s, late, "gate"), late, "gate", "look-ahead", 4.0),
                        late, "gate", true);
        Session open = withValue(waits, late, "gate", "floor", 0.0);
        const AudioBuffer out = mixOf(open);
        double worst = 0.0;
        for (std::size_t i = 1000; i < 40000; ++i)
            worst = std::max(worst, std::abs(static_cast<double>(out.channels[0][i]) -
                                             2.0 * static_cast<double>(noise[i])));
        EXPECT_LT(dbFromGain(worst), -120.0) << late;
    }
}

TEST(Sends, ASoloOpensWhatLeadsThereAndNothingBesideIt) {
    const Kit kit;
    Send half;
    half.to = "parallel";
    half.levelDb = dbFromGain(0.5);
    const Session s = withSend(kit.sent("one", half), "two", half);
    const auto soloed = [&](std::initializer_list<const char*> rows) {
        Session alone = s;
        for (const char* row : rows) requireRow(alone, row).solo = true;
        return levelOf(alone);
    };
    EXPECT_NEAR(levelOf(s), 0.75 + 0.375, 1e-6);
    EXPECT_NEAR(soloed({"one"}), 0.25 + 0.125, 1e-6) << "with what it sends, and nobody else's";
    EXPECT_NEAR(soloed({"parallel"}), 0.375, 1e-6) << "what is sent, without the dry way";
    EXPECT_NEAR(soloed({"left"}), 0.25, 1e-6);
    EXPECT_NEAR(soloed({"left", "parallel"}), 0.25 + 0.375, 1e-6);
    Session direct = s;
    requireRow(direct, "one").parent = "main";
    requireRow(direct, "parallel").solo = true;
    EXPECT_NEAR(levelOf(direct), 0.375, 1e-6) << "the way past the soloed bus is closed";
    half.before = true;
    Session before = withSend(s, "two", half);
    requireRow(before, "one").solo = true;
    EXPECT_NEAR(levelOf(before), 0.25 + 0.125, 1e-6);
}

TEST(Sends, SoundThatComesRoundToItselfIsRefusedWithItsWay) {
    Kit kit;
    const Session s = kit.sent("left");
    EXPECT_EQ(test::errorOf([&] { withSend(s, "parallel", {"left"}); }),
              "The sound comes round to itself: “left” → “parallel” → “left”; take one of these "
              "ways away.");
    EXPECT_NE(test::errorOf([&] { withSend(s, "one", {"left"}); }).find("feeds “left” already"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] { withSend(s, "one", {"two"}); }).find("no bus"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] { withSend(s, "main", {"left"}); }).find("nowhere else"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] {
                  withSend(s, "one", {"parallel", false, true, 13.0});
              }).find("−90 and +12"),
              std::string::npos);
    // Who listens to a bus waits for all that feeds it.
    EXPECT_NE(test::errorOf([&] {
                  withKey(s, "one", "compressor", "left");
              }).find("comes round to itself"),
              std::string::npos);
    EXPECT_NO_THROW(withKey(s, "one", "compressor", "right"));
}

TEST(Sends, SoundTheSameForEveryBlockAndThread) {
    Session s = test::shortSession();
    Row parallel = *findRow(s, "drum-bus");
    parallel.id = "crush";
    parallel.parent = "main";
    s.rows.insert(s.rows.end() - 1, parallel);
    s = withStageOn(std::move(s), "crush", "compressor", true);
    for (const char* row : {"snare-top", "kick-in", "drum-bus"}) {
        Send send{"crush", std::string(row) == "kick-in"};
        send.levelDb = -9.0;
        send.pan = 20.0;
        s = withSend(std::move(s), row, send);
    }
    RenderOptions options;
    options.to = 4.0;
    const AudioBuffer once = renderMix(s, test::sharedStore(), options);
    for (const int block : {1, 480, 4096}) {
        for (const int threads : {1, 2}) {
            options.block = block;
            options.threads = threads;
            EXPECT_EQ(renderMix(s, test::sharedStore(), options).channels, once.channels)
                << block << " " << threads;
        }
    }
}

TEST(Sends, MoveWhileTheyPlay) {
    const Kit kit;
    const Session s = kit.sent("one");
    const auto plan = compile(s, test::sharedStore());
    const int row = plan->rowIndex("one");
    Frames position = 0;
    const auto play = [&] {
        for (int b = 0; b < 120; ++b, position += kBlock) {
            const BlockPlay block{BlockPlay::Mode::play, position, 0};
            plan->run({&block, 1});
        }
        return static_cast<double>(plan->mainOutput(0)[kBlock - 1]);
    };
    EXPECT_NEAR(play(), 1.0, 1e-6);
    plan->move({Move::Kind::sendLevel, row, 0, 0, -6.0});
    EXPECT_NEAR(play(), 0.75 + 0.25 * gainFromDb(-6.0), 1e-6);
    plan->move({Move::Kind::sendPan, row, 0, 0, 100.0});
    EXPECT_NEAR(play(), 0.75, 1e-6);
    plan->move({Move::Kind::sendPan, row, 0, 0, 0.0});
    plan->move({Move::Kind::sendOn, row, 0, 0, 0.0});
    EXPECT_NEAR(play(), 0.75, 1e-6);
}

TEST(Sends, ABusMayBeAKeyAndTheSignalWaitsForIt) {
    const auto quiet = test::noise(0.1, 48000, 5), loud = test::noise(0.5, 48000, 9);
    const Kit kit(quiet, loud);
    Session s = kit.session;
    for (const auto& [name, value] : std::vector<std::pair<const char*, double>>{
             {"threshold", -30.0}, {"ratio", 8.0}, {"look-ahead", 0.0}})
        s = withValue(std::move(s), "one", "compressor", name, value);
    // What feeds the bus is late by a gate that does nothing.
    s = withValue(std::move(s), "two", "gate", "look-ahead", 5.0);
    s = withValue(std::move(s), "two", "gate", "floor", 0.0);
    const Session byRow = withKey(s, "one", "compressor", "two"),
                  byBus = withKey(s, "one", "compressor", "right");
    const auto plan = compile(byBus, test::sharedStore());
    EXPECT_GE(plan->latency(plan->rowIndex("one")), 240) << "it waits for its key";
    const AudioBuffer a = renderRow(byRow, test::sharedStore(), "one", {}),
                      b = renderRow(byBus, test::sharedStore(), "one", {});
    ASSERT_GT(a.channels[0].size(), 40000U);
    double worst = 0.0, pressed = 0.0, whole = 0.0;
    for (std::size_t i = 2000; i < 40000; ++i) {
        worst = std::max(worst, std::abs(static_cast<double>(a.channels[0][i] - b.channels[0][i])));
        pressed += std::pow(static_cast<double>(b.channels[0][i]), 2.0);
        whole += std::pow(static_cast<double>(quiet[i]), 2.0);
    }
    EXPECT_LT(dbFromGain(worst), -120.0);
    EXPECT_LT(10.0 * std::log10(pressed / whole), -6.0) << "its own level would hardly press it";
}

TEST(Sends, KeysOfBusesAreHeardWhereOnlyTheRowIsRendered) {
    Kit kit(test::noise(0.1, 48000, 5), test::noise(0.5, 48000, 9));
    requireRow(kit.session, "two").kind = RowKind::guest;
    Session s = withValue(kit.session, "one", "compressor", "threshold", -30.0);
    s = withKey(std::move(s), "one", "compressor", "right");
    const auto keys = keysOf(s, "one");
    EXPECT_EQ(std::set<std::string>(keys.begin(), keys.end()),
              (std::set<std::string>{"right", "two"}));
    RenderOptions with;
    with.withGuests = true;
    const AudioBuffer live = renderRow(s, test::sharedStore(), "one", with),
                      offline = renderRow(s, test::sharedStore(), "one", {});
    EXPECT_EQ(live.channels, offline.channels);
}

TEST(Sends, ASoloLeavesAloneWhatIsListenedTo) {
    Kit kit(test::noise(0.1, 48000, 5), test::noise(0.5, 48000, 9));
    Session s = withValue(kit.session, "one", "compressor", "threshold", -30.0);
    s = withSend(withKey(std::move(s), "one", "compressor", "right"), "two", {"parallel"});
    const AudioBuffer pressed = renderRow(s, test::sharedStore(), "one", {});
    requireRow(s, "one").solo = true;
    const AudioBuffer alone = mixOf(s);
    ASSERT_EQ(alone.channels[0].size(), pressed.channels[0].size());
    EXPECT_EQ(alone.channels, pressed.channels) << "pressed as before, and nothing beside it";
    requireRow(s, "two").mute = true;
    EXPECT_NE(mixOf(s).channels, pressed.channels) << "what is muted is not in the bus";
}

TEST(Sends, StemsSumToTheMixWithSendsInPlay) {
    const TempFolder folder;
    Session s = test::shortSession();
    Row parallel = *findRow(s, "drum-bus");
    parallel.id = "crush";
    parallel.parent = "drum-bus";
    s.rows.insert(s.rows.end() - 2, parallel);
    s = withValue(std::move(s), "crush", "compressor", "threshold", -40.0);
    s = withValue(std::move(s), "crush", "compressor", "look-ahead", 3.0);
    Send send{"crush"};
    send.levelDb = -5.0;
    s = withSend(std::move(s), "snare-top", send);
    send.before = true;
    send.pan = -30.0;
    s = withSend(std::move(s), "kick-in", send);
    s = withSend(std::move(s), "cymbal-bus", send);
    RenderOptions options;
    options.to = 6.0;
    const RenderReport report = renderStems(s, test::sharedStore(), options, folder.path());
    EXPECT_LT(report.stems.throughBusesDb, -120.0);
    EXPECT_LT(report.stems.preBusDb, -120.0);
    EXPECT_TRUE(report.stems.busesReplayExactly);
    // Its part of the mix holds what it sends.
    options.withGuests = false;
    const AudioBuffer part = renderPart(s, test::sharedStore(), "snare-top", options);
    const AudioBuffer without = renderPart(withSendRemoved(s, "snare-top", "crush"),
                                           test::sharedStore(), "snare-top", options);
    EXPECT_NE(part.channels, without.channels);
}

TEST(Sends, AreInTheSessionInUndoAndInTheLogbook) {
    const Kit kit;
    Send send{"parallel", true, true, -7.5, 25.0};
    const Session s = kit.sent("one", send);
    const SessionDiff added = diff(kit.session, s);
    EXPECT_TRUE(added.structural);
    ASSERT_GE(added.changes.size(), 1U);
    EXPECT_EQ(added.changes[0].text, "One · sent to parallel, before the fader");
    const Document read = documentFromJson(toJson(Document(s)), "mix");
    EXPECT_EQ(read.session(), s);
    send.levelDb = -3.0;
    const Session louder = withSend(s, "one", send);
    const SessionDiff moved = diff(s, louder);
    EXPECT_FALSE(moved.structural);
    ASSERT_EQ(moved.moves.size(), 1U);
    EXPECT_EQ(moved.moves[0].kind, Move::Kind::sendLevel);
    EXPECT_EQ(moved.changes[0].text, "One · send to parallel −7.5 dB → −3.0 dB");
    EXPECT_EQ(diff(s, kit.session).changes[0].text, "One · no longer sent to parallel");
    Document document(kit.session);
    document.edit(s);
    document.edit(louder);
    document.undo();
    EXPECT_EQ(document.session(), s);
    document.undo();
    EXPECT_EQ(document.session(), kit.session);
    const Session alone = withOnlyRows(s, {"one", "left", "main"});
    EXPECT_TRUE(findRow(alone, "one")->sends.empty());
}

TEST(Sends, WhatIsSentIsHeardInAndReached) {
    const Kit kit;
    const Session s = kit.sent("one");
    EXPECT_TRUE(leadsTo(s, "one", "parallel"));
    EXPECT_FALSE(leadsTo(s, "two", "parallel"));
    EXPECT_EQ(heardIn(s, "parallel"), (std::set<std::string>{"parallel", "one"}));
    EXPECT_EQ(reachedBy(s, "one"), (std::set<std::string>{"one", "left", "parallel", "main"}));
}

}  // namespace
}  // namespace ember
