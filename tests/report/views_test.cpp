// What the benches show of a compressor, a gate and a detector, on recordings made for it.

#include "core/dsp/compressor.h"
#include "core/dsp/gate.h"
#include "core/measure/level/press.h"
#include "core/report/bleed_table.h"
#include "core/report/gate_trials.h"
#include "core/report/key_view.h"
#include "core/report/press_view.h"
#include "core/report/review.h"
#include "tests/support/measured_kit.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

namespace ember {
namespace {

using test::TempFolder;

TEST(StrokeLines, AreThePeaksAndTheBodiesThatCameIn) {
    constexpr double kBlockSeconds = 64.0 / 48000.0;
    std::vector<float> level(3000, 0.0F);
    std::vector<double> times;
    for (int n = 0; n < 6; ++n) {
        times.push_back(0.1 + 0.6 * n);
        const auto at = static_cast<std::size_t>(times.back() / kBlockSeconds) + 1;
        for (std::size_t b = 0; b < 150; ++b) level[at + b] = b < 8 ? 0.5F : 0.1F;
    }
    const StrokeLines lines = strokeLines(level, kBlockSeconds, times);
    EXPECT_NEAR(lines.peakDb, -6.02, 0.05);
    EXPECT_NEAR(lines.bodyDb, -20.0, 0.05);
    EXPECT_LT(strokeLines(level, kBlockSeconds, {}).peakDb, -100.0);
}

TEST(Reduction, OfTwoInSeriesAddsUp) {
    const std::vector<float> first{0.0F, -4.0F, -2.0F, 0.0F}, second{0.0F, -3.0F, 0.0F, -0.5F};
    const std::vector<std::span<const float>> both{first, second};
    const Reduction all = reductionOf(both);
    EXPECT_DOUBLE_EQ(all.deepestDb, 7.0);
    EXPECT_DOUBLE_EQ(all.meanDb, 4.5) << "of the blocks that lose more than 1 dB";
    EXPECT_DOUBLE_EQ(all.share, 0.5);
    EXPECT_EQ(pressWord(4.0, 2.0), "light");
    EXPECT_EQ(pressWord(4.0, 4.0), "medium");
    EXPECT_EQ(pressWord(4.0, 8.0), "heavy");
    EXPECT_EQ(pressWord(20.0, 1.0), "limiting");
}

// A band-limited bump: level in dB around one frequency.
Spectrum bump(double hertz, double octaves, double db) {
    Spectrum s;
    for (double f = 20.0; f < 20000.0; f *= std::exp2(1.0 / 12.0)) {
        s.frequency.push_back(f);
        const double off = std::log2(f / hertz) / octaves;
        s.level.push_back(db - 12.0 * off * off);
    }
    return s;
}

TEST(KeyView, TellsFromWhichCornerANeighbourDropsOut) {
    const std::vector<KeyDrum> drums{{"snare", bump(900.0, 2.0, -20.0), 20},
                                     {"kick", bump(60.0, 0.7, -14.0), 20},
                                     {"hihat", bump(9000.0, 0.7, -22.0), 20},
                                     {"floor-tom", bump(700.0, 2.0, -25.0), 20},
                                     {"crash", bump(6000.0, 0.5, -60.0), 20}};
    const std::vector<DropOut> out = dropOuts(drums);
    ASSERT_EQ(out.size(), 2U)
        << "what shares the band cannot be filtered out, what is soft need not";
    for (const DropOut& d : out) {
        EXPECT_EQ(d.highPass, d.drum == "kick");
        const double high = d.highPass ? d.hertz : 10.0, low = d.highPass ? 22000.0 : d.hertz;
        const Spectrum& it = d.drum == "kick" ? drums[1].spectrum : drums[2].spectrum;
        const double apart = keyLevelDb(drums[0].spectrum, high, low) - keyLevelDb(it, high, low);
        EXPECT_GE(apart, 12.0);
        EXPECT_LT(apart, 15.0) << "the gentlest corner that does it";
        EXPECT_GT(keyLevelDb(drums[0].spectrum, high, low),
                  keyLevelDb(drums[0].spectrum, 10.0, 22000.0) - 6.0);
    }
    EXPECT_TRUE(dropOuts({}).empty());
}

TEST(KeyView, ReadsTheDrumsOfAMicrophoneFromTheKit) {
    const test::MeasuredKit& kit = test::measuredKit();
    const std::vector<KeyDrum> drums =
        keyDrums(kit.session, test::sharedStore(), kit.kit.strokes.strokes, "snare-top");
    ASSERT_GE(drums.size(), 3U);
    EXPECT_EQ(drums.front().drum, "snare") << "its own first";
    for (std::size_t i = 2; i < drums.size(); ++i)
        EXPECT_GE(keyLevelDb(drums[i - 1].spectrum, 10.0, 22000.0),
                  keyLevelDb(drums[i].spectrum, 10.0, 22000.0));
    EXPECT_TRUE(
        keyDrums(kit.session, test::sharedStore(), kit.kit.strokes.strokes, "main").empty());
}

// A drum struck every half second into a compressor.
class OneDrum : public testing::Test {
  protected:
    OneDrum() {
        std::vector<float> x(48000 * 8, 0.0F);
        for (int n = 1; n < 15; ++n) {
            for (std::size_t i = 0; i < 20000; ++i) {
                const double t = static_cast<double>(i) / 48000.0;
                const std::size_t to = static_cast<std::size_t>(24000 * n) + i;
                x[to] += static_cast<float>(0.6 * std::exp(-t / 0.08) *
                                            std::sin(2.0 * std::numbers::pi * 190.0 * t));
            }
        }
        test::writeMono(folder / "drum.wav", x);
        session = test::oneElement(folder / "drum.wav");
        row = session.rows.front().id;
    }
    TempFolder folder;
    Session session;
    std::string row;
};

TEST_F(OneDrum, AFasterSettingPressesDeeperAndLetsGoSooner) {
    session = withValue(session, row, "compressor", "threshold", -30.0);
    session = withValue(session, row, "compressor", "attack", 20.0);
    session = withValue(session, row, "compressor", "release", 60.0);
    const PressView view = viewPress(session, test::sharedStore(), row, "compressor", 3.0, 6.0);
    ASSERT_NEAR(view.from, 3.0, 0.002);
    ASSERT_EQ(view.fast.size(), view.slow.size());
    ASSERT_NEAR(static_cast<double>(view.fast.size()) * view.secondsPerBlock, 3.0, 0.01);
    const auto least = [](const std::vector<float>& gain) {
        return *std::min_element(gain.begin(), gain.end());
    };
    EXPECT_LT(least(view.fast), least(view.slow) - 2.0F);
    // Just before a stroke the fast one has let go, the slow one has not.
    const auto before = static_cast<std::size_t>(1.49 / view.secondsPerBlock);
    EXPECT_GT(view.fast[before], -0.5F);
    EXPECT_LT(view.slow[before], -2.0F);
    // A key that is not the row's own is heard as well: the same stretch, keyed by itself, agrees.
    EXPECT_THROW(viewPress(session, test::sharedStore(), "nobody", "compressor", 0.0, 1.0), Error);
}

TEST_F(OneDrum, GateTrialsSayWhatIsLostAndWhereItClicks) {
    session = withValue(session, row, "gate", "threshold", -26.0);
    session = withValue(session, row, "gate", "floor", -60.0);
    const std::vector<GateTrial> trials =
        tryGate(session, test::sharedStore(), row, "gate", 2.0, {0.05, 1.0, 10.0}, {0.0, 5.0});
    ASSERT_EQ(trials.size(), 6U);
    const auto at = [&](double attack, double ahead) {
        return *std::find_if(trials.begin(), trials.end(), [&](const GateTrial& t) {
            return t.attackMs == attack && t.lookAheadMs == ahead;
        });
    };
    EXPECT_LT(at(10.0, 0.0).frontDb, at(1.0, 0.0).frontDb - 3.0) << "a slow opening cuts the front";
    EXPECT_GT(at(1.0, 5.0).frontDb, -0.2) << "seen ahead, all of it is there";
    EXPECT_GT(at(0.05, 0.0).clickDb, at(1.0, 0.0).clickDb + 6.0) << "a sudden one clicks more";
    EXPECT_LT(at(10.0, 0.0).clickDb, at(1.0, 0.0).clickDb);
}

TEST(BleedTable, HoldsEveryDrumInEveryMicrophoneThatHeardIt) {
    const test::MeasuredKit& kit = test::measuredKit();
    const BleedTable table = bleedTable(kit.session, kit.kit);
    ASSERT_GE(table.drums.size(), 4U);
    std::size_t cells = 0;
    for (const BleedTable::Mic& mic : table.mics) {
        ASSERT_EQ(mic.cells.size(), table.drums.size());
        cells += static_cast<std::size_t>(
            std::count_if(mic.cells.begin(), mic.cells.end(), [](const auto& c) { return !!c; }));
        if (mic.row != "snare-top") continue;
        EXPECT_EQ(mic.drum, "snare");
        const auto own = std::find(table.drums.begin(), table.drums.end(), "snare");
        EXPECT_NEAR(mic.cells[static_cast<std::size_t>(own - table.drums.begin())]->relativeDb, 0.0,
                    1e-9);
        EXPECT_TRUE(mic.marginDb.has_value());
        if (mic.filteredDb) {
            EXPECT_GT(*mic.filteredDb, *mic.marginDb);
        }
    }
    EXPECT_EQ(cells, kit.kit.bleed.size());
    EXPECT_TRUE(bleedTable(kit.session, {}).mics.empty());
}

TEST(Review, ListsMutesAndResetsWhatNobodyDecided) {
    Session s = test::shortSession();
    requireRow(s, "hat").mute = true;
    Stage& gate = requireStage(requireRow(s, "snare-top"), "gate");
    gate.on = true;
    gate.mark = Mark::untouched;
    gate.values[Gate::floor] = -50.0;
    s = withValue(std::move(s), "kick-in", "gate", "floor", -40.0);  // decided
    const auto kinds = [](const Session& session, ReviewItem::Kind kind) {
        std::vector<std::string> rows;
        for (const ReviewItem& item : reviewChains(session, {})) {
            if (item.kind == kind) rows.push_back(item.row);
        }
        return rows;
    };
    EXPECT_EQ(kinds(s, ReviewItem::Kind::muted), std::vector<std::string>{"hat"});
    const auto active = kinds(s, ReviewItem::Kind::active);
    EXPECT_NE(std::find(active.begin(), active.end(), "snare-top"), active.end());
    s = withUndecidedReset(std::move(s));
    EXPECT_TRUE(kinds(s, ReviewItem::Kind::active).empty());
    EXPECT_EQ(findStage(*findRow(s, "snare-top"), "gate")->values[Gate::floor], -20.0);
    EXPECT_TRUE(findStage(*findRow(s, "kick-in"), "gate")->on) << "what was decided stays";
    EXPECT_EQ(validate(s), "");
}

}  // namespace
}  // namespace ember
