// What processors do to a drum, foretold on strokes of its own.

#include "core/advise/foretell.h"

#include "core/advise/common.h"
#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/measure/strokes/typical.h"
#include "tests/support/model_stroke.h"
#include "tests/support/support.h"

namespace ember {
namespace {

DrumTone toneOf(double punchDb) {
    DrumTone tone;
    tone.fundamental = 196.0;
    tone.decayT60 = 0.25;
    tone.transientToBodyDb = punchDb;
    tone.typical = {test::modelStroke(tone)};
    return tone;
}

TEST(Foretell, AnIdleProcessorChangesNothing) {
    for (const double punch : {-3.0, 2.0, 8.0}) {
        const DrumTone tone = toneOf(punch);
        const StrokeFigures figures = readStroke(tone.typical.front(), kTypicalRate);
        EXPECT_NEAR(figures.transientToBodyDb, punch, 0.3);
        const auto idle = withMoves("transient", {});
        EXPECT_NEAR(changeThrough(tone, "transient", idle).transientToBodyDb, 0.0, 0.1);
        const std::vector<double> peaks{-12.0, -30.0};
        const auto heard = throughProcessor(tone, "transient", idle, peaks);
        ASSERT_EQ(heard.size(), 2U);
        for (std::size_t i = 0; i < 2; ++i) {
            EXPECT_NEAR(heard[i].figures.peakDb, peaks[i], 0.05);
            EXPECT_NEAR(heard[i].figures.transientToBodyDb, figures.transientToBodyDb, 0.1);
        }
    }
}

TEST(Foretell, SaysNothingOfADrumThatWasNotMeasured) {
    const DrumTone none;
    const std::vector<double> peaks{-12.0};
    EXPECT_TRUE(throughProcessor(none, "transient", withMoves("transient", {}), peaks).empty());
    EXPECT_EQ(changeThrough(none, "transient", withMoves("transient", {})).transientToBodyDb, 0.0);
}

TEST(Foretell, AGateThatStrokesOpenKeepsTheAttackWhole) {
    const DrumTone tone = toneOf(2.0);
    // Open for 60 ms, closed to nothing 20 ms later: the rest of the body goes.
    const auto gate = withMoves("gate", {{"key-source", 1.0},
                                         {"stroke-early", 5.0},
                                         {"stroke-length", 60.0},
                                         {"release", 20.0},
                                         {"floor", -90.0}});
    const std::vector<double> peak{-20.0};
    const StrokeFigures is = throughProcessor(tone, "gate", gate, peak).front().figures;
    EXPECT_NEAR(is.peakDb, -20.0, 0.01) << "the first sample is through";
    // The body ends 60 to 80 ms after the stroke: energy counted by hand.
    const std::vector<float>& x = tone.typical.front();
    double attack = 0.0, shortBody = 0.0, longBody = 0.0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double t = static_cast<double>(i) / kTypicalRate,
                     e = static_cast<double>(x[i]) * static_cast<double>(x[i]);
        (t < kAttackSeconds ? attack : longBody) += e;
        if (t >= kAttackSeconds && t < 0.06) shortBody += e;
    }
    const double change = changeThrough(tone, "gate", gate).transientToBodyDb,
                 most = 10.0 * std::log10(longBody / shortBody);
    EXPECT_GT(change, 0.5);
    EXPECT_LE(change, most + 0.05);
}

TEST(Foretell, ALevelOverTheThresholdIsPressedAndOneUnderItIsNot) {
    const DrumTone tone = toneOf(4.0);
    const auto press = withMoves(
        "compressor", {{"threshold", -20.0}, {"ratio", 4.0}, {"knee", 0.0}, {"attack", 0.1}});
    const std::vector<double> peaks{-8.0, -30.0};
    const auto heard = throughProcessor(tone, "compressor", press, peaks);
    EXPECT_LT(heard[0].figures.peakDb, -9.0);
    EXPECT_NEAR(heard[1].figures.peakDb, -30.0, 0.05);
}

TEST(Foretell, AThresholdIsFoundThatTakesWhatIsWanted) {
    const DrumTone tone = toneOf(4.0);
    const double peak = -13.0;
    double last = 0.0;
    for (const double attack : {0.5, 10.0, 40.0}) {
        auto values = withMoves("compressor", {{"ratio", 4.0}, {"attack", attack}});
        values[Compressor::threshold] = thresholdFor(tone, values, peak, 4.0);
        const auto heard = throughProcessor(tone, "compressor", values, std::span(&peak, 1));
        EXPECT_NEAR(heard.front().gainDb, -4.0, 0.2) << attack << " ms";
        EXPECT_LT(values[Compressor::threshold], last) << "a slow detector needs a lower one";
        last = values[Compressor::threshold];
    }
    EXPECT_EQ(thresholdFor(DrumTone{}, withMoves("compressor", {}), peak, 4.0), peak);
}

TEST(Typical, TakesWholeStrokesNearestTheMedian) {
    const double rate = 48000.0;
    std::vector<std::vector<float>> strokes;
    // Attack against body from 0 to 8 dB; the one in the middle is cut short.
    for (const double punch : {0.0, 2.0, 4.0, 6.0, 8.0}) {
        std::vector<float> x(static_cast<std::size_t>(0.4 * rate), 0.0F);
        const auto early = static_cast<std::size_t>(kAttackSeconds * rate),
                   whole = static_cast<std::size_t>(kStrokeSeconds * rate);
        const double body = 0.1, attack = body * std::sqrt(std::pow(10.0, punch / 10.0) * 9.0);
        for (std::size_t i = 0; i < whole; ++i)
            x[i] = static_cast<float>(
                (i < early ? attack : body) *
                std::sin(2.0 * 3.14159265 * 200.0 * static_cast<double>(i) / rate));
        if (punch == 4.0) x.resize(static_cast<std::size_t>(0.2 * rate));
        strokes.push_back(std::move(x));
    }
    const auto typical = typicalStrokes(strokes, rate);
    ASSERT_EQ(typical.size(), 3U);
    std::vector<double> found;
    for (const auto& x : typical) {
        EXPECT_NEAR(static_cast<double>(x.size()), kStrokeSeconds * kTypicalRate, 2.0);
        found.push_back(readStroke(x, kTypicalRate).transientToBodyDb);
    }
    EXPECT_NEAR(found[0], 6.0, 0.2) << "of the whole ones nearest to what they all have";
    EXPECT_TRUE(typicalStrokes({}, rate).empty());
}

}  // namespace
}  // namespace ember
