// A sum of drums as a whole, and how far every sum moves.
#include "core/report/bus_whole.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/report/range_report.h"
#include "core/session/diff.h"
#include "core/session/document.h"
#include "core/session/file.h"
#include "core/session/range.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

using test::TempFolder;

constexpr double kWholeRate = 48000.0;

// "one": noise that is loud and soft in turn, 12 dB apart, four seconds each, in the bus "left";
// "two": steady noise in "right".
struct Moving {
    TempFolder folder;
    Session session;
    Moving() {
        const auto frames = static_cast<std::size_t>(24 * kWholeRate);
        std::vector<float> one = test::noise(0.5, frames, 1);
        for (std::size_t i = 0; i < frames; ++i) {
            if (static_cast<int>(static_cast<double>(i) / kWholeRate / 4.0) % 2 == 1)
                one[i] *= static_cast<float>(gainFromDb(-12.0));
        }
        test::writeMono(folder / "one.wav", one);
        test::writeMono(folder / "two.wav", test::noise(0.1, frames, 2));
        session = test::twoElements(folder / "one.wav", folder / "two.wav");
    }
    [[nodiscard]] static std::vector<SumRange> report(const Session& of) {
        return rangeReport(of, test::sharedStore(), 0.0, -1.0);
    }
};

const SumRange& sumOf(const std::vector<SumRange>& sums, const std::string& row) {
    for (const SumRange& s : sums) {
        if (s.row == row) return s;
    }
    return sums.front();
}

TEST(Range, TellsWhatWasPlayedWhatComesInAndWhatIsKept) {
    const Moving m;
    const auto plain = Moving::report(m.session);
    EXPECT_EQ(plain.size(), 3U) << "two buses and the main";
    const SumRange& left = sumOf(plain, "left");
    EXPECT_NEAR(left.played, 12.0, 0.7);
    EXPECT_NEAR(left.kept, left.played, 0.05);
    EXPECT_LT(sumOf(plain, "right").kept, 0.5);
    // Pressed in the bus, it is the bus that takes it; pressed in the row, what comes in.
    const auto pressed = [&](const char* row) {
        Session s = withStageAdded(m.session, row, "compressor");
        const std::string stage = findRow(s, row)->chain[findRow(s, row)->chain.size() - 2].id;
        s = withValue(std::move(s), row, stage, "threshold", -50.0);
        return withValue(std::move(s), row, stage, "ratio", 8.0);
    };
    const auto inBus = Moving::report(pressed("left"));
    EXPECT_NEAR(sumOf(inBus, "left").played, 12.0, 0.7);
    EXPECT_NEAR(sumOf(inBus, "left").fed, 12.0, 0.7);
    EXPECT_LT(sumOf(inBus, "left").kept, 4.0);
    const auto inRow = Moving::report(pressed("one"));
    EXPECT_LT(sumOf(inRow, "left").fed, 4.0);
    EXPECT_NEAR(sumOf(inRow, "left").kept, sumOf(inRow, "left").fed, 0.05);
    // What is said goes by what is wanted.
    Session wanted = withRangeBudget(m.session, {"left", false, 3.0});
    EXPECT_EQ(rangeVerdict(wanted, left), RangeVerdict::tooFar);
    EXPECT_NE(rangeText(wanted, plain).front().find("left: 12"), std::string::npos);
    wanted = withRangeBudget(std::move(wanted), {"left", true, 5.0});
    EXPECT_EQ(rangeVerdict(wanted, left), RangeVerdict::within);
    EXPECT_EQ(rangeVerdict(wanted, sumOf(inBus, "left")), RangeVerdict::tooEven);
    const auto said = rangeText(wanted, inBus);
    EXPECT_NE(said.front().find("its own steps"), std::string::npos) << said.front();
    const auto fed = rangeText(wanted, inRow);
    EXPECT_NE(fed.front().find("what feeds it"), std::string::npos) << fed.front();
    EXPECT_THROW((void)rangeReport(m.session, test::sharedStore(), 0.0, 5.0), Error);
}

TEST(Range, SilenceIsSaidToBeSilent) {
    Moving m;
    requireRow(m.session, "one").mute = true;
    const auto sums = Moving::report(m.session);
    EXPECT_EQ(rangeVerdict(m.session, sumOf(sums, "left")), RangeVerdict::silent);
}

TEST(Range, IsTypedInWordsSavedAndUndone) {
    Document d(test::shortSession());
    const auto type = [&](const char* text) {
        d.edit(withRangeTyped(d.session(), "drum-bus", text));
    };
    type("even 3");
    ASSERT_NE(rangeBudget(d.session(), "drum-bus"), nullptr);
    EXPECT_EQ(d.log().back().what.text, "Session · Drum bus stays even, 3.0 LU at most");
    type("moves, 5.5 LU at least");
    EXPECT_EQ(*rangeBudget(d.session(), "drum-bus"), (RangeBudget{"drum-bus", true, 5.5}));
    const Session again = documentFromJson(toJson(d), "s").session();
    EXPECT_EQ(again.ranges, d.session().ranges);
    type("");
    EXPECT_EQ(rangeBudget(d.session(), "drum-bus"), nullptr);
    d.undo();
    EXPECT_EQ(rangeBudget(d.session(), "drum-bus")->lu, 5.5);
    for (const char* wrong : {"loud", "even", "3", "even and moving 3", "even 300"})
        EXPECT_THROW(type(wrong), Error) << wrong;
    EXPECT_NE(test::errorOf([&] {
                  (void)withRangeTyped(d.session(), "snare-top", "even 3");
              }).find("no sum"),
              std::string::npos);
    // A row that is gone takes nothing with it that would keep the session from opening.
    Session without = d.session();
    std::erase_if(without.rows, [](const Row& r) { return r.id == "drum-bus"; });
    for (Row& r : without.rows) {
        if (r.parent == "drum-bus") r.parent = "main";
    }
    EXPECT_NO_THROW((void)documentFromJson(toJson(Document(without)), "s"));
}

// A low thump and a high tick, half a second apart, and a guest's tone.
struct Whole {
    TempFolder folder;
    Session session;
    explicit Whole(double thumpSeconds) {
        const auto frames = static_cast<std::size_t>(12 * kWholeRate);
        std::vector<float> low(frames, 0.0F), high(frames, 0.0F);
        for (double at = 0.5; at < 11.5; at += 1.0) {
            for (std::size_t i = 0; i < static_cast<std::size_t>(0.9 * kWholeRate); ++i) {
                const double t = static_cast<double>(i) / kWholeRate;
                const auto k = static_cast<std::size_t>(at * kWholeRate) + i;
                if (k >= frames) break;
                low[k] = static_cast<float>(0.5 * std::pow(0.001, t / thumpSeconds) *
                                            std::sin(2.0 * 3.14159265 * 50.0 * t));
                high[k] = static_cast<float>(0.1 * std::pow(0.001, t / 0.05) *
                                             std::sin(2.0 * 3.14159265 * 8000.0 * t));
            }
        }
        test::writeMono(folder / "low.wav", low);
        test::writeMono(folder / "high.wav", high);
        test::writeMono(folder / "bass.wav", test::sine(52.0, 0.02, frames, kWholeRate));
        session = test::twoElements(folder / "low.wav", folder / "high.wav");
        Row bass = *findRow(session, "one");
        bass.id = "bass";
        bass.name = "Bass";
        bass.kind = RowKind::guest;
        bass.role = Role::bass;
        bass.parent = "main";
        bass.sources[0].file = (folder / "bass.wav").string();
        session.rows.insert(session.rows.begin(), bass);
    }
    [[nodiscard]] BusWhole measure() const {
        return busWhole(session, test::sharedStore(), "main", 0.0, -1.0);
    }
};

TEST(BusWhole, SaysWhoIsBrightWhoIsHeavyAndWhatTheyLeave) {
    const Whole little(0.15), much(2.5);
    const BusWhole a = little.measure(), b = much.measure();
    EXPECT_EQ(a.lowsRow, "one");
    EXPECT_EQ(a.highsRow, "two");
    EXPECT_GT(a.lowsShare, 0.99);
    EXPECT_GT(a.highsShare, 0.99);
    ASSERT_EQ(a.room.size(), 3U);
    // A long thump fills the bottom nearly always, a short one leaves most of it.
    EXPECT_GT(a.room[0].left, 0.7);
    EXPECT_LT(b.room[0].left, 0.2);
    EXPECT_EQ(b.room[0].row, "one");
    EXPECT_GT(a.room[2].left, 0.9) << "nothing plays in the middle";
    EXPECT_GT(a.highsDb, b.highsDb);
    ASSERT_EQ(b.guests.size(), 1U);
    EXPECT_GT(a.guests[0].heard, b.guests[0].heard);
    EXPECT_EQ(b.guests[0].behind, "one");
    const auto said = busWholeText(much.session, b);
    const auto says = [&](const char* words) {
        return std::any_of(said.begin(), said.end(), [&](const std::string& text) {
            return text.find(words) != std::string::npos;
        });
    };
    EXPECT_TRUE(says("too dark, or too heavy"));
    EXPECT_TRUE(says("One takes most of it"));
    EXPECT_TRUE(says("Bass is heard over the drums"));
    EXPECT_THROW((void)busWhole(little.session, test::sharedStore(), "one", 0.0, -1.0), Error);
}

TEST(BusWhole, FourDecibelsMoreOfTheHighsAreFourDecibelsMore) {
    Whole w(0.15);
    const BusWhole before = w.measure();
    w.session = withValue(std::move(w.session), "two", "seat", "level", 4.0);
    EXPECT_NEAR(w.measure().highsDb - before.highsDb, 4.0, 0.1);
}

TEST(UsualSums, AreKnownForEveryKindAndStyle) {
    for (int style = 0; style < 7; ++style) {
        for (int kind = 0; kind < 7; ++kind) {
            const UsualSpan span =
                usualRange(static_cast<SumKind>(kind), static_cast<Style>(style));
            EXPECT_LT(span.low, span.high);
        }
        EXPECT_LT(usualHighs(static_cast<Style>(style)).low,
                  usualHighs(static_cast<Style>(style)).high);
    }
    EXPECT_EQ(sumKind(test::shortSession(), "drum-bus"), SumKind::drums);
    EXPECT_EQ(sumKind(test::shortSession(), "main"), SumKind::everything);
    EXPECT_EQ(sumKind(test::shortSession(), "kick-bus"), SumKind::kick);
}

}  // namespace
}  // namespace ember
