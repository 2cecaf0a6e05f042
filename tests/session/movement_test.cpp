// Curves that move together, and slow waves.
#include "core/session/movement.h"

#include "core/base/error.h"
#include "core/session/diff.h"
#include "core/session/file.h"
#include "core/session/recipe.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <cmath>

namespace ember {
namespace {

namespace fs = std::filesystem;

// Two elements in buses of their own, nothing moves.
Session still() {
    static const test::TempFolder folder;
    for (const char* name : {"one.wav", "two.wav"})
        test::writeMono(folder / name, std::vector<float>(480, 0.1F));
    return test::twoElements(folder / "one.wav", folder / "two.wav");
}

const CurvePlace kRide{"one", "seat", {}, "level"}, kSweep{"two", "eq", {}, "b1.frequency"};

Curve through(const char* parameter, std::vector<CurvePoint> all) {
    Curve c{parameter};
    c.points = std::move(all);
    return c;
}

TEST(Movement, SeveralParametersGoTheSameWayEachAtItsOwnDepth) {
    Session s = withCurve(still(), kRide,
                          through("level", {{0.0, -12.0, CurveShape::line},
                                            {4.0, 0.0, CurveShape::ease},
                                            {8.0, -6.0, CurveShape::hold}}));
    s = withMovement(std::move(s), kRide, "Breath", -12.0, 0.0);
    EXPECT_EQ(findCurve(s, kRide)->points[2].value, -6.0) << "its own curve stays as it is";
    s = withMovement(std::move(s), kSweep, "Breath", 4000.0, 250.0);
    EXPECT_EQ(movements(s), (std::vector<std::string>{"Breath"}));
    EXPECT_EQ(followers(s, "Breath"), (std::vector<CurvePlace>{kRide, kSweep}));
    const Curve& cut = *findCurve(s, kSweep);
    ASSERT_EQ(cut.points.size(), 3U);
    EXPECT_DOUBLE_EQ(cut.points[0].value, 4000.0);
    EXPECT_DOUBLE_EQ(cut.points[1].value, 250.0);
    EXPECT_NEAR(cut.points[2].value, 1000.0, 1e-6) << "half the way is half the octaves";
    EXPECT_EQ(cut.points[1].shape, CurveShape::ease);

    // Editing one moves the other, either way, and what goes beyond its range ends there.
    Curve next = cut;
    next.bars = 2;
    next.points = {{0.0, 500.0, CurveShape::line}, {3.0, 9000.0, CurveShape::line}};
    s = withCurve(std::move(s), kSweep, next);
    EXPECT_DOUBLE_EQ(findCurve(s, kSweep)->points[1].value, 4000.0);
    const Curve& level = *findCurve(s, kRide);
    EXPECT_EQ(level.bars, 2);
    ASSERT_EQ(level.points.size(), 2U);
    EXPECT_NEAR(level.points[0].value, -3.0, 1e-9);
    EXPECT_DOUBLE_EQ(level.points[1].value, -12.0);

    // Another depth keeps the movement; a curve drawn anew stays in it.
    s = withMovement(std::move(s), kRide, "Breath", -24.0, 0.0);
    EXPECT_NEAR(findCurve(s, kRide)->points[0].value, -6.0, 1e-9);
    EXPECT_NEAR(findCurve(s, kSweep)->points[0].value, 500.0, 1e-6);
    s = withCurve(std::move(s), kRide, through("level", {{0.0, -24.0}, {1.0, 0.0}}));
    ASSERT_TRUE(findCurve(s, kRide)->together);
    EXPECT_DOUBLE_EQ(findCurve(s, kSweep)->points[1].value, 250.0);

    // By itself it keeps its curve, and the others theirs.
    s = withoutMovement(std::move(s), kSweep);
    s = withCurve(std::move(s), kRide, through("level", {{0.0, -1.0}}));
    EXPECT_EQ(findCurve(s, kSweep)->points.size(), 2U);
    EXPECT_THROW((void)withoutMovement(s, kSweep), Error);
    EXPECT_EQ(validate(s), "");
}

TEST(Movement, RefusesWhatCannotMoveWithASentence) {
    Session s = still();
    EXPECT_THROW((void)withMovement(s, kRide, "Breath", -12.0, 0.0), Error) << "no curve yet";
    s = withCurve(std::move(s), kRide, through("level", {{0.0, -6.0}}));
    EXPECT_THROW((void)withMovement(s, kRide, "Breath", -12.0, 0.0), Error) << "it stays";
    s = withCurve(std::move(s), kRide, through("level", {{0.0, -6.0}, {1.0, 0.0}}));
    EXPECT_THROW((void)withMovement(s, kRide, "  ", -12.0, 0.0), Error);
    EXPECT_THROW((void)withMovement(s, kRide, std::string(61, 'x'), -12.0, 0.0), Error);
    EXPECT_THROW((void)withMovement(s, kRide, "Breath", -3.0, -3.0), Error);
    EXPECT_THROW((void)withMovement(s, kRide, "Breath", -3.0, 1000.0), Error);
    EXPECT_THROW((void)withMovement(s, kRide, "Breath", NAN, 0.0), Error);
    s = withMovement(std::move(s), kRide, "Breath", -12.0, 0.0);
    EXPECT_THROW((void)withMovement(s, kSweep, "Breath", 100.0, 100.0), Error);
    EXPECT_THROW((void)withMovement(s, {"two", "gate", {}, "look-ahead"}, "Breath", 0.0, 1.0),
                 Error);
}

TEST(Movement, IsSavedSaidAndPartOfWhatAPrintDependsOn) {
    Session s = withCurve(still(), kRide, through("level", {{0.0, -12.0}, {4.0, 0.0}}));
    const Session before = s;
    s = withMovement(std::move(s), kRide, "Breath", -12.0, 0.0);
    s = withMovement(std::move(s), kSweep, "Breath", 250.0, 4000.0);
    const auto changes = diff(before, s).changes;
    ASSERT_FALSE(changes.empty());
    std::string all;
    for (const auto& c : changes) all += c.text + "\n";
    EXPECT_NE(all.find("with “Breath” from −12.0 dB to 0.0 dB"), std::string::npos) << all;
    Document doc{s};
    const Session read = documentFromJson(toJson(doc), "again").session();
    EXPECT_EQ(read, s);
    // The other's row is another sound once the movement is edited here.
    const std::string recipe = recipeOf(s, "two");
    s = withCurve(std::move(s), kRide, through("level", {{0.0, -12.0}, {2.0, 0.0}}));
    EXPECT_NE(recipeOf(s, "two"), recipe);
}

TEST(Movement, WavesBeginAnewAndPassBetweenTheirValues) {
    Session s = still();
    s.time = steadyTime(120.0, 0.0, 3, 4);
    for (const WaveForm form :
         {WaveForm::sine, WaveForm::triangle, WaveForm::rise, WaveForm::fall, WaveForm::square}) {
        EXPECT_EQ(waveFormFrom(toString(form)), form);
        const Curve wave = waveCurve(s, kRide, {form, 2, 3, -20.0, -4.0});
        EXPECT_EQ(wave.bars, 2);
        const CurveLine line(wave, curveParameter(s, kRide), s.time, 48000.0, 60.0);
        // Six quarters in 3 cycles: two quarters, a second, each.
        double low = 0.0, high = -90.0;
        // Behind the millisecond in which it begins anew.
        for (int i = 64; i < 48000; i += 64) {
            const double at = line.at(i);
            EXPECT_NEAR(line.at(i + 48000.0), at, 0.02) << toString(form) << " " << i;
            EXPECT_NEAR(line.at(i + 5.0 * 48000.0), at, 0.02) << toString(form) << " " << i;
            low = std::min(low, at);
            high = std::max(high, at);
        }
        EXPECT_NEAR(low, -20.0, 0.1) << toString(form);
        EXPECT_NEAR(high, -4.0, 0.1) << toString(form);
    }
    const CurveLine sine(waveCurve(s, kRide, {WaveForm::sine, 1, 1, -20.0, -4.0}),
                         curveParameter(s, kRide), s.time, 48000.0, 60.0);
    EXPECT_NEAR(sine.at(0.25 * 72000.0), -12.0, 0.05);
    EXPECT_NEAR(sine.at(0.5 * 72000.0), -4.0, 0.05);
    EXPECT_THROW((void)waveCurve(s, kRide, {WaveForm::sine, 0, 1, -20.0, -4.0}), Error);
    EXPECT_THROW((void)waveCurve(s, kRide, {WaveForm::sine, 1, 65, -20.0, -4.0}), Error);
    EXPECT_THROW((void)waveCurve(s, kRide, {WaveForm::sine, 1, 1, -200.0, -4.0}), Error);
    EXPECT_THROW((void)waveFormFrom("saw"), Error);
}

TEST(SessionFormat, TheTenthFormatOpensUnchangedAndNothingMovesTogether) {
    const fs::path file = fs::path(EMBER_SOURCE_FOLDER) / "tests/data/session-v10.json";
    const Document tenth = documentFromJson(test::readText(file), "tenth");
    const Session& s = tenth.session();
    EXPECT_EQ(s.name, "Fixture 10");
    EXPECT_EQ(s.extra, "");
    ASSERT_TRUE(findRow(s, "snare-top")->frozen);
    EXPECT_EQ(drawnCurves(*findRow(s, "snare-top")).size(), 1U);
    EXPECT_TRUE(movements(s).empty());
    EXPECT_EQ(documentFromJson(toJson(tenth), "eleventh").session(), s);
}

}  // namespace
}  // namespace ember
