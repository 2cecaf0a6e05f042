// Buses beside the mix: silent until they are raised, and what they do then.

#include "core/advise/ready_bus.h"

#include "core/advise/programmed.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/engine/trace.h"
#include "core/session/feeds.h"
#include "core/session/routing.h"
#include "demo/mix.h"
#include "demo/one_shots.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace ember {
namespace {

AudioBuffer mixOf(const Session& session) {
    RenderOptions options;
    options.to = 8.0;
    return renderMix(session, test::sharedStore(), options);
}

double rms(const std::vector<float>& x, std::size_t from, std::size_t to) {
    double sum = 0.0;
    for (std::size_t i = from; i < std::min(to, x.size()); ++i)
        sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    return std::sqrt(sum / static_cast<double>(to - from));
}

TEST(ReadyBus, ChangesNothingUntilItIsRaised) {
    Session before = demo::demoMix(test::shortSession());
    // What strokes open has to know them.
    std::vector<Stroke> struck;
    for (const demo::Stroke& s : test::shortRecording().strokes) {
        if (s.drum != demo::Drum::snare) continue;
        Stroke& stroke = struck.emplace_back();
        stroke.time = s.time;
        stroke.drum = "snare";
        stroke.velocity = s.velocity;
    }
    before.strokes = Shared(struck);
    const AudioBuffer plain = mixOf(before);
    for (const ReadyBus& ready : readyBuses()) {
        const Session with = withReadyBus(before, ready.id);
        EXPECT_EQ(validate(with), "");
        const AudioBuffer silent = mixOf(with);
        double off = 0.0;
        for (std::size_t i = 0; i < plain.channels[0].size(); ++i)
            off = std::max(
                off, std::abs(static_cast<double>(plain.channels[0][i] - silent.channels[0][i])));
        EXPECT_LT(dbFromGain(off + 1e-12), -120.0) << ready.id;
        const auto bus = std::find_if(with.rows.begin(), with.rows.end(),
                                      [&](const Row& row) { return row.name == ready.name; });
        ASSERT_NE(bus, with.rows.end());
        std::vector<float> added =
            mixOf(withValue(with, bus->id, "seat", "level", -6.0)).channels[0];
        for (std::size_t i = 0; i < added.size(); ++i) added[i] -= plain.channels[0][i];
        EXPECT_GT(rms(added, 0, 8 * 48000), 0.03 * rms(plain.channels[0], 0, 8 * 48000))
            << ready.id;
    }
}

TEST(ReadyBus, PressingInParallelRaisesWhatRingsAgainstTheFront) {
    Session s = withReadyBus(demo::demoMix(test::shortSession()), "press");
    s = withValue(std::move(s), "press", "seat", "level", 0.0);
    const auto traces = trace(s, test::sharedStore(), {"press"});
    const RowTrace& press = traces.at("press");
    // The pressed way alone: reduction at work, hard.
    float deepest = 0.0F;
    for (const StageTrace& stage : press.stages) {
        for (const float g : stage.gainDb) deepest = std::min(deepest, g);
    }
    EXPECT_LT(deepest, -12.0F);
    // Cymbals, overheads and rooms are not sent there.
    for (const Row& row : s.rows) {
        const bool cymbal = row.role == Role::hat || row.role == Role::ride;
        if (hearsAll(row.role) || cymbal) {
            EXPECT_EQ(findSend(row, "press"), nullptr) << row.name;
        }
    }
    EXPECT_NE(findSend(*findRow(s, "snare-top"), "press"), nullptr);
}

TEST(ReadyBus, ASpaceRingsOnBetweenTheStrokes) {
    const Session dry = demo::demoMix(test::shortSession());
    Session s = withReadyBus(dry, "plate");
    s = withValue(std::move(s), "plate", "seat", "level", 0.0);
    const auto with = mixOf(s).channels[0], without = mixOf(dry).channels[0];
    // Where the dry mix is quietest while it plays.
    std::size_t quietest = 96000;
    for (std::size_t at = 96000; at + 2400 < 6 * 48000; at += 2400) {
        if (rms(without, at, at + 2400) < rms(without, quietest, quietest + 2400)) quietest = at;
    }
    EXPECT_GT(rms(with, quietest, quietest + 2400), 2.0 * rms(without, quietest, quietest + 2400));
}

TEST(ReadyBus, HasANameOfItsOwnAndRefusesWhatItDoesNotKnow) {
    Session s = withReadyBus(demo::demoMix(test::shortSession()), "plate");
    s = withReadyBus(std::move(s), "plate");
    ASSERT_NE(findRow(s, "plate-2"), nullptr);
    EXPECT_EQ(findRow(s, "plate-2")->name, "Plate 2");
    EXPECT_THROW(withReadyBus(s, "hall"), Error);
}

// The demo's programmed kit.
const Session& programmedDemo() {
    static const Session session = [] {
        static const test::TempFolder folder;
        demo::writeOneShots(folder.path());
        return programmedKit({folder.path()}, test::sharedStore(), folder / demo::kBeatFile)
            .session;
    }();
    return session;
}

TEST(KitSpace, EveryDrumOfAProgrammedKitFeedsItsOverheadsAndRoom) {
    const Session& before = programmedDemo();
    EXPECT_TRUE(kitFeeds(before).buses.empty());
    const Session s = withKitSpace(before);
    EXPECT_EQ(validate(s), "");
    const KitFeeds feeds = kitFeeds(s);
    EXPECT_EQ(feeds.buses, (std::vector<std::string>{"kit-overheads", "kit-room"}));
    EXPECT_EQ(feeds.drums, kitFeeds(before).drums);
    for (const std::string& drum : feeds.drums) {
        EXPECT_GT(feedDb(s, drum, "kit-overheads"), -20.0) << drum;
        EXPECT_GT(feedDb(s, drum, "kit-room"), -20.0) << drum;
    }
    // Over the cymbals more of them, in the room more of the kick.
    EXPECT_GT(feedDb(s, "hihat", "kit-overheads"), feedDb(s, "kick", "kit-overheads") + 6.0);
    EXPECT_GT(feedDb(s, "kick", "kit-room"), feedDb(s, "hihat", "kit-room"));
    // Heard, and under the kit itself.
    const std::vector<float> dry = mixOf(before).channels[0];
    std::vector<float> added = mixOf(s).channels[0];
    for (std::size_t i = 0; i < added.size(); ++i) added[i] -= dry[i];
    const double share = rms(added, 0, 8 * 48000) / rms(dry, 0, 8 * 48000);
    EXPECT_GT(share, 0.05);
    EXPECT_LT(share, 0.7);
    EXPECT_NE(test::errorOf([] { withKitSpace(test::shortSession()); }), "");
}

TEST(KitSpace, AFeedIsTheSendOfEveryRowThatPlaysTheDrum) {
    const Session s = withKitSpace(programmedDemo());
    const Session turned = withFeed(s, "snare", "kit-room", -9.5);
    EXPECT_EQ(feedDb(turned, "snare", "kit-room"), -9.5);
    EXPECT_EQ(feedDb(turned, "kick", "kit-room"), feedDb(s, "kick", "kit-room"));
    const Session without = withFeed(turned, "snare", "kit-room", kSendLowest);
    EXPECT_EQ(feedDb(without, "snare", "kit-room"), kSendLowest);
    for (const Row& row : without.rows) {
        EXPECT_TRUE(row.drum != "snare" || findSend(row, "kit-room") == nullptr) << row.id;
    }
    EXPECT_EQ(feedDb(withFeed(without, "snare", "kit-room", -3.0), "snare", "kit-room"), -3.0);
    EXPECT_EQ(parseFeed("silent"), kSendLowest);
    EXPECT_EQ(parseFeed("-6"), -6.0);
    for (const auto& wrong :
         {std::function<void()>([&] { withFeed(s, "cowbell", "kit-room", 0.0); }),
          std::function<void()>([&] { withFeed(s, "snare", "nowhere", 0.0); }),
          std::function<void()>([&] { withFeed(s, "snare", "kit-room", 40.0); }),
          std::function<void()>([] { parseFeed("loud"); })})
        EXPECT_NE(test::errorOf(wrong), "");
}

}  // namespace
}  // namespace ember
