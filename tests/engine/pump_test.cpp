// The pump where it is used: in a plan, by strokes of another row and by the song's beat, with
// latencies around it, through seek and loop, frozen and moved while it sounds.

#include "core/dsp/pump.h"

#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/session/curves.h"
#include "core/session/diff.h"
#include "tests/engine/live.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::frameAt;
using test::Live;
using test::TempFolder;

constexpr float kPumped = 0.25F;

// A row of constant level, whose output is the gain, and a silent kick that is struck at times.
struct Pumped {
    TempFolder folder;
    Session session;

    explicit Pumped(const std::vector<std::pair<double, double>>& struck, double by) {
        test::writeMono(folder / "steady.wav", std::vector<float>(4 * 48000, kPumped));
        test::writeMono(folder / "kick.wav", std::vector<float>(4 * 48000, 0.0F));
        session = test::oneElement(folder / "steady.wav");
        Row kick = session.rows[0];
        kick.id = kick.name = "kick";
        kick.role = Role::kick;
        kick.sources[0].file = (folder / "kick.wav").string();
        session.rows.insert(session.rows.begin() + 1, kick);
        session = withDrums(std::move(session));
        std::vector<Stroke> all;
        for (const auto& [at, velocity] : struck) {
            all.emplace_back();
            all.back().time = at;
            all.back().drum = findRow(session, "kick")->drum;
            all.back().velocity = velocity;
        }
        session.strokes = Shared(all);
        session = withKey(withStageAdded(std::move(session), "one", "pump"), "one", "pump", "kick");
        set({{"by", by}, {"depth", 18.0}, {"fall", 5.0}, {"hold", 30.0}, {"return", 200.0}});
    }
    void set(const std::vector<std::pair<const char*, double>>& values) {
        for (const auto& [parameter, value] : values)
            session = withValue(std::move(session), "one", "pump", parameter, value);
    }
    [[nodiscard]] const std::vector<double>& values() const {
        return findStage(*findRow(session, "one"), "pump")->values;
    }
    [[nodiscard]] std::vector<float> rendered() const {
        return renderMix(session, test::sharedStore(), {}).channels[0];
    }
};

// The gain is the deepest of what the strokes at these seconds ask for.
void expectDips(const std::vector<float>& out, std::span<const double> values,
                const std::vector<std::pair<double, double>>& struck) {
    double worst = 0.0;
    for (std::size_t i = 0; i < out.size(); i += 7) {
        double db = 0.0;
        for (const auto& [at, share] : struck) {
            const double frame = std::round(at * test::kLiveRate);
            db = std::min(
                db,
                pumpDb(values, 1000.0 * (static_cast<double>(i) - frame) / test::kLiveRate, share));
        }
        const double wanted = static_cast<double>(kPumped) * gainFromDb(db);
        worst = std::max(worst, std::abs(static_cast<double>(out[i]) - wanted));
    }
    EXPECT_LT(dbFromGain(worst / static_cast<double>(kPumped)), -100.0);
}

TEST(Pump, StepsBackUnderTheStrokesOfItsKeyAndIsDownWhenTheyCome) {
    Pumped p({{0.5, 0.9}, {0.6, 0.9}, {1.5, 0.45}, {3.0, 1.0}}, Pump::strokes);
    expectDips(p.rendered(), p.values(), {{0.5, 1.0}, {0.6, 1.0}, {1.5, 1.0}, {3.0, 1.0}});
    p.set({{"follow", 100.0}, {"bend", -60.0}});
    expectDips(p.rendered(), p.values(), {{0.5, 1.0}, {0.6, 1.0}, {1.5, 0.5}, {3.0, 1.0}});
    p.set({{"bend", 80.0}});
    expectDips(p.rendered(), p.values(), {{0.5, 1.0}, {0.6, 1.0}, {1.5, 0.5}, {3.0, 1.0}});
}

TEST(Pump, GoesByTheBeatOfASongThatChangesItsTempoAndMetre) {
    Pumped p({}, Pump::quarters);
    // One bar of 3/4 at 120, then 7/8 at 90, bar 1 at 0.3 s.
    p.session.time = steadyTime(120.0, 0.3, 3, 4);
    p.session.time = withMetreFrom(withTempoFrom(p.session.time, 1, 90.0), 1, 7, 8);
    const double bar = 0.3 + 3.0 * 0.5, quarter = 60.0 / 90.0;
    std::vector<std::pair<double, double>> quarters{
        {-0.2, 1.0}, {0.3, 1.0}, {0.8, 1.0}, {1.3, 1.0}};
    for (const double q : {0.0, 1.0, 2.0, 3.0, 3.5}) quarters.emplace_back(bar + q * quarter, 1.0);
    expectDips(p.rendered(), p.values(), quarters);
    p.set({{"by", Pump::bars}});
    expectDips(p.rendered(), p.values(), {{0.3, 1.0}, {bar, 1.0}, {bar + 3.5 * quarter, 1.0}});
    // Off the beat; what would come with the next bar line or behind it does not.
    p.set({{"by", Pump::quarters}, {"offset", 50.0}});
    std::vector<std::pair<double, double>> off{{0.05, 1.0}, {0.55, 1.0}, {1.05, 1.0}, {1.55, 1.0}};
    for (const double q : {0.5, 1.5, 2.5}) off.emplace_back(bar + q * quarter, 1.0);
    off.emplace_back(bar + 4.0 * quarter, 1.0);
    expectDips(p.rendered(), p.values(), off);
}

TEST(Pump, LatenciesAndAlignmentDoNotMoveItFromItsKey) {
    for (const int place : {-4, 0}) {
        Pumped p({{0.5, 1.0}, {1.5, 1.0}}, Pump::strokes);
        for (const auto& [parameter, value] :
             std::vector<std::pair<const char*, double>>{{"look-ahead", 4.0}, {"ratio", 1.0}})
            p.session = withValue(std::move(p.session), "one", "compressor", parameter, value);
        p.session = withStageMoved(std::move(p.session), "one", "compressor", place);
        expectDips(p.rendered(), p.values(), {{0.5, 1.0}, {1.5, 1.0}});
    }
}

TEST(Pump, SoundsTheSameWhereverPlayingStartsAndInEveryTurnOfALoop) {
    Pumped p({{0.5, 1.0}, {0.8, 1.0}, {1.5, 1.0}}, Pump::strokes);
    const std::vector<float> wanted = p.rendered();
    for (const double at : {0.45, 0.497, 0.51, 0.6, 0.79, 1.2}) {
        Live live(p.session);
        const std::size_t grid = frameAt(at) / kBlock * kBlock;
        const std::vector<float> heard = live.playFrom(at, 9600);
        for (std::size_t i = frameAt(0.012); i < heard.size(); ++i)
            ASSERT_NEAR(heard[i], wanted[grid + i], 2e-4F) << at << " s, " << i << " frames on";
    }
    Live live(p.session);
    const std::size_t from = frameAt(0.55) / kBlock * kBlock, to = frameAt(0.9) / kBlock * kBlock;
    live.engine.setLoop(true, static_cast<Frames>(from), static_cast<Frames>(to));
    const std::vector<float> heard =
        live.playFrom(static_cast<double>(from) / test::kLiveRate, 3 * (to - from));
    for (std::size_t turn = 0; turn < 3; ++turn) {
        // What the last stroke of the loop still holds down comes back first.
        for (std::size_t i = frameAt(0.14); i < to - from - frameAt(0.006); ++i)
            ASSERT_NEAR(heard[turn * (to - from) + i], wanted[from + i], 2e-4F)
                << turn << ", " << i;
    }
}

TEST(Pump, MovingItWhileItSoundsMakesNoStep) {
    Pumped p({{0.5, 1.0}, {0.8, 1.0}, {1.1, 1.0}}, Pump::strokes);
    Pump pump({48000.0, 1}, p.values());
    std::vector<float> out;
    float block[kBlock];
    for (int b = 0; b < 400; ++b) {
        std::fill_n(block, kBlock, 1.0F);
        if (b % 100 == 20) {
            const BlockEvent strike;
            pump.strike({&strike, 1});
        }
        if (b == 60) pump.setValue(Pump::depth, 40.0);
        if (b == 61) pump.setValue(Pump::hold, 500.0);
        if (b == 180) pump.setValue(Pump::back, 10.0);
        if (b == 181) pump.setValue(Pump::depth, 3.0);
        if (b == 230) {
            BlockEvent anew;
            anew.anew = true;
            pump.strike({&anew, 1});
        }
        const AudioBlock io{{block, nullptr}, 1, kBlock};
        pump.process(io, io);
        out.insert(out.end(), block, block + kBlock);
    }
    float step = 0.0F;
    for (std::size_t i = 1; i < out.size(); ++i)
        step = std::max(step, std::abs(out[i] - out[i - 1]));
    EXPECT_LT(step, 0.02F);
    EXPECT_LT(*std::min_element(out.begin(), out.end()), 0.02F) << "it did step back";
}

TEST(Pump, ABusOfOneDrumIsAKeyAndATempoMovesItInThePlan) {
    Pumped p({{0.5, 1.0}}, Pump::strokes);
    Row bus = *findRow(p.session, mainRow(p.session));
    bus.id = bus.name = "kicks";
    bus.kind = RowKind::bus;
    bus.parent = mainRow(p.session);
    p.session.rows.insert(p.session.rows.end() - 1, bus);
    requireRow(p.session, "kick").parent = "kicks";
    p.session = withKey(std::move(p.session), "one", "pump", "kicks");
    expectDips(p.rendered(), p.values(), {{0.5, 1.0}});
    // Only what goes by the beat is played anew when the tempo changes.
    Session faster = p.session;
    faster.time = steadyTime(140.0);
    EXPECT_FALSE(diff(p.session, faster).structural);
    p.set({{"by", Pump::eighths}});
    EXPECT_TRUE(goesByTime(*findRow(p.session, "one")));
    faster = p.session;
    faster.time = steadyTime(140.0);
    EXPECT_TRUE(diff(p.session, faster).structural);
}

}  // namespace
}  // namespace ember
