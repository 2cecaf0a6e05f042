// The ledger and the order test on a session whose stages do known things to the strokes.

#include "core/report/ledger.h"

#include "core/base/error.h"
#include "core/report/bus_levels.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

using test::TempFolder;

// A drum struck every half second: a stick and a long body.
class LedgerOfPunch : public testing::Test {
  protected:
    LedgerOfPunch() {
        std::vector<float> x(48000 * 8, 0.0F);
        for (int n = 1; n < 15; ++n) {
            const double at = 0.5 * n;
            strokes.strokes.push_back(
                {at, "snare", "row", 0.9, 0.0, StrokeKind::accent, 1.0, false});
            for (std::size_t i = 0; i < 20000; ++i) {
                const double t = static_cast<double>(i) / 48000.0;
                const std::size_t to = static_cast<std::size_t>(at * 48000.0) + i;
                if (to < x.size())
                    x[to] += static_cast<float>(
                        0.5 * std::exp(-t / 0.004) * std::cos(2.0 * std::numbers::pi * 3000.0 * t) +
                        0.25 * std::exp(-t / 0.12) * std::sin(2.0 * std::numbers::pi * 190.0 * t));
            }
        }
        test::writeMono(folder / "snare.wav", x);
        session = test::oneElement(folder / "snare.wav");
        row = session.rows.front().id;
        session.rows.front().role = Role::snare;
        session = withDrums(std::move(session));
    }
    TempFolder folder;
    Session session;
    KitStrokes strokes;
    std::string row;
};

TEST_F(LedgerOfPunch, TheLedgerNamesTheStageThatTakesIt) {
    session = withValue(session, row, "eq", "b1.on", 1.0);  // a high-pass far below: takes nothing
    session = withValue(session, row, "eq", "b1.frequency", 25.0);
    session = withStageAdded(session, row, "clipper");
    session = withValue(session, row, "clipper", "ceiling", -14.0);
    const Ledger ledger = transientLedger(session, strokes, test::sharedStore(), row);
    ASSERT_EQ(ledger.lines.size(), 3U);
    ASSERT_EQ(ledger.worst, 2);
    EXPECT_EQ(ledger.lines[2].stage, "clipper");
    EXPECT_NEAR(ledger.lines[1].transientToBodyDb, ledger.lines[0].transientToBodyDb, 0.3);
    EXPECT_LT(ledger.lines[2].crestDb, ledger.lines[1].crestDb - 1.0);
    EXPECT_LE(ledger.lines[2].peakDb, -12.0) << "but for the ripple of band limiting";
    for (const LedgerLine& line : ledger.lines)
        EXPECT_NEAR(line.matchedPeakDb, line.peakDb + ledger.lines[0].loudness - line.loudness,
                    1e-9);
}

TEST_F(LedgerOfPunch, ALedgerOfACleanChainBlamesNobody) {
    const Ledger ledger = transientLedger(session, strokes, test::sharedStore(), row);
    EXPECT_EQ(ledger.lines.size(), 1U);
    EXPECT_EQ(ledger.worst, -1);
    EXPECT_THROW(transientLedger(session, strokes, test::sharedStore(), "nobody"), Error);
}

TEST_F(LedgerOfPunch, ColourIsToldAsCarriedAndAsAdded) {
    Ledger ledger = transientLedger(session, strokes, test::sharedStore(), row);
    EXPECT_NEAR(ledger.note, 190.0, 3.0);
    ASSERT_TRUE(ledger.lines.front().harmonicsDb.has_value());
    EXPECT_LT(*ledger.lines.front().harmonicsDb, -30.0) << "a pure note carries none";
    const double pure = *ledger.lines.front().harmonicsDb;
    EXPECT_EQ(ledger.flatTops, 0.0);
    EXPECT_NE(colourText(ledger).find("added none so far"), std::string::npos);
    session = withStageAdded(session, row, "saturation");
    session = withValue(session, row, "saturation", "drive", 15.0);
    ledger = transientLedger(session, strokes, test::sharedStore(), row);
    EXPECT_GT(*ledger.lines.back().harmonicsDb, *ledger.lines.front().harmonicsDb + 10.0);
    EXPECT_NE(colourText(ledger).find("added so far: harmonics "), std::string::npos)
        << colourText(ledger);
    // Tops that were cut off before they came here.
    std::vector<float> x(48000 * 8, 0.0F);
    for (const Stroke& s : strokes.strokes) {
        for (std::size_t i = 0; i < 12000; ++i) {
            const double t = static_cast<double>(i) / 48000.0;
            const double v = std::exp(-t / 0.1) * std::sin(2.0 * std::numbers::pi * 190.0 * t);
            x[static_cast<std::size_t>(s.time * 48000.0) + i] =
                static_cast<float>(std::clamp(v, -0.5, 0.5));
        }
    }
    test::writeMono(folder / "cut.wav", x);
    Session cut = test::oneElement(folder / "cut.wav");
    cut.rows.front().role = Role::snare;
    cut = withDrums(std::move(cut));
    const Ledger flat = transientLedger(cut, strokes, test::sharedStore(), cut.rows.front().id);
    EXPECT_DOUBLE_EQ(flat.flatTops, 1.0);
    ASSERT_TRUE(flat.lines.front().harmonicsDb.has_value());
    EXPECT_GT(*flat.lines.front().harmonicsDb, pure + 6.0);
}

TEST_F(LedgerOfPunch, SaysWhatEveryStageCostsInMono) {
    Session wide = withBusAdded(session, "Hall");
    wide = withStageAdded(std::move(wide), "hall", "reverb");
    wide = withValue(std::move(wide), "hall", "reverb", "mix", 100.0);
    wide = withValue(std::move(wide), "hall", "reverb", "width", 100.0);
    wide = withSend(std::move(wide), row, {.to = "hall", .levelDb = 6.0});
    const Ledger ledger = transientLedger(wide, strokes, test::sharedStore(), row);
    ASSERT_EQ(ledger.lines.size(), 2U);
    EXPECT_NEAR(ledger.lines[0].monoLossDb, 0.0, 1e-6) << "it stands in the middle";
    // Of its own power and the hall's, the hall loses half: its sides know nothing of each other.
    EXPECT_GT(ledger.lines[1].monoLossDb, 0.5);
    EXPECT_LT(ledger.lines[1].monoLossDb, 3.2);
    EXPECT_EQ(ledger.widest, 1);
    EXPECT_NE(monoText(ledger).find("Hall · Reverb costs most, "), std::string::npos)
        << monoText(ledger);
    // Placed at one side, half of it goes, and no stage is at fault.
    const Ledger aside = transientLedger(withValue(session, row, "seat", "pan", 100.0), strokes,
                                         test::sharedStore(), row);
    EXPECT_NEAR(aside.lines.front().monoLossDb, 3.01, 0.05);
    EXPECT_EQ(aside.widest, -1);
    EXPECT_EQ(monoText(aside), "Mono takes 3.0 dB as recorded and placed.");
}

TEST_F(LedgerOfPunch, TheOrderTestIsMatchedAndSaysWhatDiffers) {
    session = withValue(session, row, "eq", "b3.on", 1.0);
    session = withValue(session, row, "eq", "b3.frequency", 3000.0);
    session = withValue(session, row, "eq", "b3.gain", 12.0);
    session = withValue(session, row, "compressor", "threshold", -30.0);
    session = withValue(session, row, "compressor", "attack", 0.5);
    const OrderTest test = testOrder(session, strokes, test::sharedStore(), row, "eq");
    EXPECT_NEAR(test.swapped.loudness, test.now.loudness, 0.3);
    EXPECT_GT(test.differenceDb, -40.0);
    EXPECT_FALSE(test.sentences.empty());
    // Two linear steps may change places.
    Session linear = withStageAdded(session, row, "eq", "eq");
    linear = withStageOn(linear, row, "eq-2", true);
    const OrderTest same = testOrder(linear, strokes, test::sharedStore(), row, "eq");
    EXPECT_LT(same.differenceDb, -60.0);
    EXPECT_NE(test::errorOf([&] {
                  testOrder(session, strokes, test::sharedStore(), row, "compressor");
              }).find("choose an earlier one"),
              std::string::npos);
}

TEST_F(LedgerOfPunch, ABusIsHeardAsTheWholeMixDrivesIt) {
    // Another row is loud where the strokes' bodies are; main presses both.
    Session mix = withStageAdded(session, mainRow(session), "compressor");
    const std::string main = mainRow(mix),
                      press = findRow(mix, main)->chain[findRow(mix, main)->chain.size() - 2].id;
    mix = withValue(mix, main, press, "threshold", -24.0);
    mix = withValue(mix, main, press, "ratio", 10.0);
    mix = withValue(mix, main, press, "attack", 1.0);
    mix = withValue(mix, main, press, "release", 20.0);
    const Ledger alone = transientLedger(mix, strokes, test::sharedStore(), row);
    Row other = mix.rows.front();
    other.id = other.name = "other";
    other.drum.clear();
    std::vector<float> tone(48000 * 8);
    for (std::size_t i = 0; i < tone.size(); ++i) {
        const bool body = i % 24000 > 2400;
        tone[i] = body ? static_cast<float>(0.5 * std::sin(0.02 * static_cast<double>(i))) : 0.0F;
    }
    test::writeMono(folder / "other.wav", tone);
    other.sources.front().file = (folder / "other.wav").string();
    other.sources.front().hash.clear();
    mix.rows.insert(mix.rows.begin() + 1, other);
    const Ledger together = transientLedger(mix, strokes, test::sharedStore(), row);
    ASSERT_EQ(together.lines.size(), alone.lines.size());
    EXPECT_EQ(together.lines.back().stage, press);
    // Its own part only, with the gain that the other row causes.
    EXPECT_NEAR(together.lines.front().transientToBodyDb, alone.lines.front().transientToBodyDb,
                0.05);
    EXPECT_GT(together.lines.back().transientToBodyDb, alone.lines.back().transientToBodyDb + 1.0)
        << "what presses the bodies leaves more attack";
    EXPECT_LT(together.lines.back().loudness, alone.lines.back().loudness - 1.0);
}

TEST_F(LedgerOfPunch, AStageKeyedFromOutsideIsHeardAsItWorks) {
    // The key is loud where the strokes' bodies are: what listens to it takes them down.
    Session keyed = session;
    Row other = keyed.rows.front();
    other.id = other.name = "key";
    other.kind = RowKind::guest;
    std::vector<float> tone(48000 * 8);
    for (std::size_t i = 0; i < tone.size(); ++i) tone[i] = i / 12000 % 2 == 0 ? 0.0F : 0.9F;
    test::writeMono(folder / "key.wav", tone);
    other.sources.front().file = (folder / "key.wav").string();
    other.sources.front().hash.clear();
    keyed.rows.insert(keyed.rows.begin() + 1, other);
    keyed = withValue(keyed, row, "compressor", "threshold", -30.0);
    keyed = withValue(keyed, row, "compressor", "ratio", 8.0);
    const Ledger own = transientLedger(keyed, strokes, test::sharedStore(), row);
    requireStage(requireRow(keyed, row), "compressor").key = "key";
    const Ledger outside = transientLedger(keyed, strokes, test::sharedStore(), row);
    ASSERT_EQ(own.lines.size(), outside.lines.size());
    EXPECT_GT(std::abs(own.lines.back().transientToBodyDb - outside.lines.back().transientToBodyDb),
              0.5);
}

TEST_F(LedgerOfPunch, AGuestHasALedgerToo) {
    Session guest = session;
    guest.rows.front().kind = RowKind::guest;
    const Ledger ledger = transientLedger(guest, strokes, test::sharedStore(), row);
    EXPECT_GT(ledger.lines.front().peakDb, -20.0);
}

TEST(BusLevels, AreThoseOfWhatIsFedIntoEachBus) {
    Session session = withValue(test::shortSession(), "drum-bus", "seat", "level", 0.0);
    // What comes behind a bus does not count for it.
    session = withValue(session, "main", "seat", "level", -20.0);
    const auto levels = busLevels(session, test::sharedStore());
    const auto of = [&](const std::string& row) {
        const auto at = std::find_if(levels.begin(), levels.end(),
                                     [&](const SignalLevels& l) { return l.row == row; });
        return at == levels.end() ? SignalLevels{} : *at;
    };
    EXPECT_NEAR(of("main").integrated, of("drum-bus").integrated - 20.0, 0.1);
    EXPECT_NEAR(of("main").truePeak, of("drum-bus").truePeak - 20.0, 0.1);
    // With only the kick playing, the drum bus is the kick's bus.
    Session kick = session;
    for (Row& row : kick.rows) row.mute = row.kind == RowKind::element && row.parent != "kick-bus";
    for (const SignalLevels& l : busLevels(kick, test::sharedStore())) {
        if (l.row == "drum-bus") {
            EXPECT_NEAR(l.integrated, of("kick-bus").integrated, 0.05);
        }
    }
    session = withValue(session, "kick-bus", "seat", "level", -6.0);
    EXPECT_NEAR(of("kick-bus").integrated - 6.0,
                busLevels(session, test::sharedStore()).front().integrated, 0.1);
}

}  // namespace
}  // namespace ember
