// Curves: what they come to, how they are edited, and that files keep them.
#include "core/base/error.h"
#include "core/session/curves.h"
#include "core/session/diff.h"
#include "core/session/file.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>

namespace ember {
namespace {

namespace fs = std::filesystem;
constexpr double kCurveRate = 48000.0;

const Parameter& levelParameter() {
    return processorType("seat").table[0];
}

// At 120 quarters a minute: a quarter is 24 000 frames.
CurveLine lineOf(const Curve& curve, const Parameter& parameter = levelParameter(),
                 const TimeMap& time = steadyTime(120.0), double until = 60.0) {
    EXPECT_EQ(problemIn(curve, parameter), "");
    return {curve, parameter, time, kCurveRate, until};
}

Session session() {
    return withBusAdded(test::twoElements("a.wav", "b.wav"), "plate");
}
const CurvePlace kLevel{"one", "seat", "", "level"};

TEST(Curves, HoldGoStraightAndEase) {
    Curve c{"level"};
    c.points = {{0.0, -12.0, CurveShape::line},
                {2.0, 0.0, CurveShape::ease},
                {4.0, -6.0, CurveShape::hold},
                {6.0, -20.0, CurveShape::hold}};
    const CurveLine line = lineOf(c);
    EXPECT_NEAR(line.at(-1e6), -12.0, 1e-9) << "before the first point its value holds";
    EXPECT_NEAR(line.at(0.0), -12.0, 1e-9);
    EXPECT_NEAR(line.at(24000.0), -6.0, 1e-9);
    EXPECT_NEAR(line.at(36000.0), -3.0, 1e-9);
    EXPECT_NEAR(line.at(60000.0), -6.0 * 0.15625, 1e-9) << "3 t² - 2 t³ at a quarter";
    EXPECT_NEAR(line.at(72000.0), -3.0, 1e-9);
    EXPECT_NEAR(line.at(143999.0), -6.0, 1e-9);
    EXPECT_NEAR(line.at(144000.0 + 48.0), -20.0, 1e-9) << "a jump takes a millisecond";
    EXPECT_NEAR(line.at(144000.0 + 24.0), -13.0, 1e-9);
    EXPECT_NEAR(line.at(1e9), -20.0, 1e-9);
}

TEST(Curves, ReadAsTheyAreAtEveryFrame) {
    Curve c{"level"};
    for (int i = 0; i < 40; ++i)
        c.points.push_back({0.11 * i, -30.0 + (7 * i) % 29, static_cast<CurveShape>(i % 3)});
    const CurveLine line = lineOf(c);
    std::vector<double> out(120000);
    for (std::size_t at = 0; at < out.size(); at += 64)
        line.read(static_cast<Frames>(at) - 500, std::span(out).subspan(at, 64));
    for (std::size_t i = 0; i < out.size(); i += 7)
        ASSERT_NEAR(out[i], line.at(static_cast<double>(i) - 500.0), 1e-9) << i;
    for (std::size_t i = 1; i < out.size(); ++i)
        ASSERT_LT(std::abs(out[i] - out[i - 1]), 1.5) << "no jump within a frame, at " << i;
}

TEST(Curves, GoInOctavesAndFollowTheTempo) {
    const ProcessorType& gate = processorType("gate");
    const auto index = parameterIndex(gate.table, "key-high-pass");
    ASSERT_GE(index, 0);
    const Parameter& p = gate.table[static_cast<std::size_t>(index)];
    Curve c{p.id};
    c.points = {{0.0, 100.0}, {4.0, 400.0}};
    EXPECT_NEAR(lineOf(c, p).at(48000.0), 200.0, 1e-6);
    TimeMap slow = steadyTime(60.0, 1.0);
    EXPECT_NEAR(lineOf(c, p, slow).at(48000.0 + 96000.0), 200.0, 1e-6);
}

TEST(Curves, RepeatByBarsAlsoBeforeBarOneAndThroughChangesOfMetre) {
    TimeMap time = steadyTime(120.0, 2.0);
    time = withMetreFrom(time, 2, 3, 4);
    Curve c{"level"};
    c.bars = 1;
    c.points = {{0.0, 0.0, CurveShape::hold}, {3.5, -20.0, CurveShape::hold}};
    const CurveLine line = lineOf(c, levelParameter(), time);
    const auto at = [&](double seconds) { return line.at(seconds * kCurveRate); };
    EXPECT_NEAR(at(0.5), 0.0, 1e-9) << "the bar before bar 1";
    EXPECT_NEAR(at(1.8), -20.0, 1e-9);
    EXPECT_NEAR(at(2.1), 0.0, 1e-9);
    EXPECT_NEAR(at(3.8), -20.0, 1e-9);
    EXPECT_NEAR(at(6.0 + 1.4), 0.0, 1e-9) << "a bar of three has no such place";
    EXPECT_NEAR(at(6.0 + 1.6), 0.0, 1e-9);
    c.bars = 2;
    const CurveLine two = lineOf(c, levelParameter(), time);
    EXPECT_NEAR(two.at(3.9 * kCurveRate), -20.0, 1e-9);
    EXPECT_NEAR(two.at(5.9 * kCurveRate), -20.0, 1e-9) << "holds until it begins anew";
    EXPECT_NEAR(two.at(6.1 * kCurveRate), 0.0, 1e-9);
}

TEST(Curves, AreRefusedWithASentence) {
    const auto fault = [](const CurvePlace& place, Curve curve) {
        return test::errorOf([&] { withCurve(session(), place, std::move(curve)); });
    };
    Curve good{"", true, 0, {{0.0, -3.0}}};
    EXPECT_NE(fault({"one", "align", "", "trim"}, good).find("stays the same"), std::string::npos);
    EXPECT_NE(fault({"one", "gate", "", "look-ahead"}, good).find("how late"), std::string::npos);
    EXPECT_NE(fault({"one", "gate", "", "nothing"}, good).find("no parameter"), std::string::npos);
    EXPECT_NE(fault({"one", "", "plate", "level"}, good).find("make the send"), std::string::npos);
    EXPECT_NE(fault(kLevel, {}).find("no points"), std::string::npos);
    EXPECT_NE(fault(kLevel, {"", true, 0, {{0.0, 40.0}}}).find("outside"), std::string::npos);
    EXPECT_NE(fault(kLevel, {"", true, 99, {{0.0, 0.0}}}).find("64"), std::string::npos);
    EXPECT_NE(fault(kLevel, {"", true, 2, {{-1.0, 0.0}}}).find("order or place"),
              std::string::npos);
    Curve many = good;
    many.points.assign(kMostCurvePoints + 1, {0.0, 0.0});
    EXPECT_NE(fault(kLevel, many).find("10000"), std::string::npos);
    EXPECT_NE(test::errorOf([] { curvePlaceFrom(session(), "one", "seat"); }).find("send.BUS"),
              std::string::npos);
    EXPECT_NE(test::errorOf([] { withoutCurve(session(), kLevel); }).find("no curve"),
              std::string::npos);
}

TEST(Curves, AreSaidUndoneAndKeptInFiles) {
    Send send;
    send.to = "plate";
    const Session plain = withSend(session(), "two", send);
    Session s = withCurve(plain, kLevel, {"", true, 0, {{4.0, -3.0}, {0.0, -9.0}}});
    EXPECT_EQ(findCurve(s, kLevel)->points.front().value, -9.0) << "in order";
    const CurvePlace sent = curvePlaceFrom(s, "two", "send.plate.level");
    EXPECT_EQ(toText(sent), "send.plate.level");
    s = withCurve(s, sent, {"", true, 2, {{0.0, -90.0, CurveShape::hold}}});
    const SessionDiff said = diff(plain, s);
    ASSERT_EQ(said.changes.size(), 2u);
    EXPECT_EQ(said.sentences()[0], "One · Seat · Level follows a curve of 2 points");
    EXPECT_EQ(said.sentences()[1],
              "Two · Send to plate · Level follows a curve of 1 point, anew every 2 bars");
    EXPECT_TRUE(said.structural);
    EXPECT_EQ(diff(s, plain).sentences()[0], "One · Seat · Level follows no curve any more");
    Curve off = *findCurve(s, kLevel);
    off.on = false;
    EXPECT_EQ(diff(s, withCurve(s, kLevel, off)).sentences().front(),
              "One · Seat · Level passes its curve by");
    // What was removed takes its curves along, in a sentence.
    const SessionDiff gone = diff(s, withSendRemoved(s, "two", "plate"));
    EXPECT_EQ(gone.changes.size(), 2u);
    const std::string text = toJson(Document(s));
    EXPECT_EQ(documentFromJson(text, "again").session(), s);
    std::string wrong = text;
    wrong.replace(wrong.find("\"shape\": \"line\""), 15, "\"shape\": \"loop\"");
    EXPECT_NE(test::errorOf([&] { documentFromJson(wrong, "wrong"); }).find("curves[0].points[0]"),
              std::string::npos);
    EXPECT_TRUE(
        withChain(s, "two", requireRow(s, "one").chain).rows[1].chain.back().curves.empty());
}

TEST(Curves, OpenAtStrokesAndCloseAgain) {
    Session s = session();
    Send send;
    send.to = "plate";
    s = withSend(s, "one", send);
    std::vector<Stroke> struck;
    for (int i = 0; i < 8; ++i) {
        Stroke stroke;
        stroke.time = 1.0 + 0.5 * i;
        stroke.drum = i % 2 == 0 ? "kick" : "snare";
        stroke.kind = i == 3 ? StrokeKind::ghost : StrokeKind::normal;
        struck.push_back(stroke);
    }
    const CurvePlace place{"one", "", "plate", "level"};
    StrokeOpening o{"snare", StrokeKind::normal, 2, 2, -6.0, -90.0, 0.1};
    // Snares at 1.5, (2.5: a ghost), 3.5 and 4.5 s: of the normal ones the second is at 3.5 s.
    const CurveLine line = lineOf(curveByStrokes(s, place, struck, o), levelParameter(), s.time);
    for (const double open : {3.499, 3.5, 3.59})
        EXPECT_NEAR(line.at(open * kCurveRate), -6.0, 1e-6);
    for (const double closed : {1.5, 2.5, 3.4, 3.602, 4.5})
        EXPECT_NEAR(line.at(closed * kCurveRate), -90.0, 1e-6) << closed;
    o = {"kick", {}, 1, 1, -6.0, -90.0, 1.2};
    EXPECT_EQ(curveByStrokes(s, place, struck, o).points.size(), 3u)
        << "what overlaps stays open throughout";
    o.drum = "tom";
    EXPECT_THROW(curveByStrokes(s, place, struck, o), Error);
}

TEST(SessionFormat, TheEighthFormatOpensUnchangedAndHasNoCurves) {
    const fs::path file = fs::path(EMBER_SOURCE_FOLDER) / "tests/data/session-v8.json";
    const Document eighth = documentFromJson(test::readText(file), "eighth");
    const Session& s = eighth.session();
    EXPECT_EQ(s.snapshots.size(), 1u);
    EXPECT_EQ(s.extra, "");
    for (const Row& row : s.rows) EXPECT_TRUE(drawnCurves(row).empty());
    ASSERT_NE(findSend(*findRow(s, "snare-top"), "main"), nullptr);
    EXPECT_EQ(documentFromJson(toJson(eighth), "ninth").session(), s);
}

TEST(SessionFormat, TheNinthFormatOpensUnchangedAndHasNoPrints) {
    const fs::path file = fs::path(EMBER_SOURCE_FOLDER) / "tests/data/session-v9.json";
    const Document ninth = documentFromJson(test::readText(file), "ninth");
    const Session& s = ninth.session();
    EXPECT_EQ(drawnCurves(*findRow(s, "snare-top")).size(), 1u);
    EXPECT_EQ(s.extra, "");
    for (const Row& row : s.rows)
        EXPECT_TRUE(!row.frozen && !row.printed && row.extra.empty()) << row.id;
    EXPECT_EQ(documentFromJson(toJson(ninth), "tenth").session(), s);
}

}  // namespace
}  // namespace ember
