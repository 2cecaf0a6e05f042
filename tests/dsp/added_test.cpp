// What adds to a drum: a tone under strokes, a slow sweep, strings.
#include "core/base/fft.h"
#include "core/base/units.h"
#include "core/dsp/modulation.h"
#include "core/dsp/resonator.h"
#include "core/dsp/weight.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ember {
namespace {

constexpr double kAddedRate = 48000.0;

BlockEvent struckAt(int frame, float velocity = 0.9F, Frames age = 0) {
    BlockEvent e;
    e.frame = frame;
    e.age = age;
    e.event.velocity = velocity;
    return e;
}

// The tone alone, under silence, with strokes at frames; `block` frames at a time.
std::vector<float> tone(const std::vector<double>& values, std::size_t frames,
                        const std::vector<std::pair<Frames, float>>& strokes, int block = kBlock,
                        double rate = kAddedRate) {
    Weight weight({rate, 1}, values);
    std::vector<float> out(frames, 0.0F);
    for (std::size_t at = 0; at < frames; at += static_cast<std::size_t>(block)) {
        const int length =
            static_cast<int>(std::min<std::size_t>(static_cast<std::size_t>(block), frames - at));
        std::vector<BlockEvent> events;
        for (const auto& [frame, velocity] : strokes) {
            const auto here = frame - static_cast<Frames>(at);
            if (here >= 0 && here < length)
                events.push_back(struckAt(static_cast<int>(here), velocity));
        }
        if (!events.empty()) weight.strike(events);
        const AudioBlock io{{out.data() + at, nullptr}, 1, length};
        weight.process(io, io);
    }
    return out;
}

std::vector<double> plainWeight() {
    std::vector<double> v = standardValues(processorType("weight").table);
    v[Weight::note] = 60.0;
    v[Weight::level] = -12.0;
    v[Weight::decay] = 600.0;
    v[Weight::rise] = 0.5;
    return v;
}

TEST(Weight, RingsAtItsNoteFromItsStrokeOnAndDiesAsItSays) {
    const auto v = plainWeight();
    const auto out = tone(v, 48000, {{1000, 0.9F}});
    for (std::size_t i = 0; i < 1000; ++i) ASSERT_EQ(out[i], 0.0F);
    // Against the formula, behind its fade in.
    double worst = 0.0;
    for (std::size_t i = 1200; i < 40000; ++i) {
        const double t = (static_cast<double>(i) - 1000.0) / kAddedRate;
        const double wanted =
            gainFromDb(-12.0 - 60.0 * t / 0.6) * std::sin(2.0 * std::numbers::pi * 60.0 * t);
        worst = std::max(worst, std::abs(wanted - static_cast<double>(out[i])));
    }
    EXPECT_LT(dbFromGain(worst), -110.0);
    EXPECT_EQ(tone(v, 48000, {{1000, 0.9F}}, 17), out) << "block by block or not";
}

TEST(Weight, FallsToItsNoteAndIsTakenUpInTheMiddleOfAStroke) {
    auto v = plainWeight();
    v[Weight::sweep] = 24.0;
    v[Weight::sweepTime] = 60.0;
    EXPECT_NEAR(weightHertz(v, 0.0), 240.0, 0.1);
    EXPECT_LT(weightHertz(v, 0.06) / 60.0, 1.08);
    const auto whole = tone(v, 24000, {{0, 0.9F}});
    // Playing starts 3000 frames after the stroke.
    Weight later({kAddedRate, 1}, v);
    std::vector<float> out(24000 - 3008, 0.0F);
    for (std::size_t at = 0; at + kBlock <= out.size(); at += kBlock) {
        if (at == 0) {
            const std::vector<BlockEvent> e{struckAt(0, 0.9F, 3008)};
            later.strike(e);
        }
        const AudioBlock io{{out.data() + at, nullptr}, 1, kBlock};
        later.process(io, io);
    }
    double worst = 0.0;
    for (std::size_t i = 0; i + 3008 < 20000; ++i)
        worst = std::max(
            worst, std::abs(static_cast<double>(out[i]) - static_cast<double>(whole[i + 3008])));
    EXPECT_LT(dbFromGain(worst), -75.0) << "the same wave goes on";
}

TEST(Weight, FollowsVelocityAsFarAsItIsToldAndTurnsOver) {
    auto v = plainWeight();
    const double hard = test::peakDb(tone(v, 24000, {{0, 0.9F}})),
                 soft = test::peakDb(tone(v, 24000, {{0, 0.45F}}));
    EXPECT_NEAR(hard - soft, 9.03, 0.05);
    v[Weight::follow] = 0.0;
    EXPECT_NEAR(test::peakDb(tone(v, 24000, {{0, 0.2F}})), hard, 0.05);
    auto turned = v;
    turned[Weight::polarity] = 1.0;
    const auto up = tone(v, 9600, {{0, 0.9F}}), down = tone(turned, 9600, {{0, 0.9F}});
    for (std::size_t i = 0; i < up.size(); ++i) ASSERT_EQ(up[i], -down[i]);
}

TEST(Weight, ANewStrokeTakesTheOldOnesPlaceWithoutAClick) {
    auto v = plainWeight();
    v[Weight::decay] = 3000.0;
    v[Weight::rise] = 5.0;
    const auto out = tone(v, 48000, {{1000, 0.9F}, {7003, 0.9F}, {12011, 0.5F}, {12500, 0.9F}});
    EXPECT_LT(
        test::peakAboveDb(std::vector<float>(out.begin() + 3000, out.end()), 2500.0, kAddedRate),
        -66.0);
    EXPECT_LT(test::peakDb(out), -8.0) << "never two at once for long";
}

TEST(Weight, StruckByLevelAnswersOncePerStrokeAsLoudAsItWas) {
    auto v = plainWeight();
    v[Weight::keySource] = 0.0;
    v[Weight::threshold] = -30.0;
    v[Weight::note] = 40.0;
    v[Weight::decay] = 100.0;
    // Bursts of noise of 20 ms, every 300 ms, from loud to soft, the last one under the threshold.
    std::vector<float> in(4 * 14400, 0.0F);
    const double levels[] = {0.8, 0.4, 0.1, 0.01};
    const auto noise = test::noise(1.0, 960, 5);
    for (std::size_t n = 0; n < 4; ++n) {
        for (std::size_t i = 0; i < noise.size(); ++i)
            in[n * 14400 + i] = static_cast<float>(levels[n]) * noise[i];
    }
    Weight weight({kAddedRate, 1}, v);
    std::vector<float> added = test::run(weight, in);
    for (std::size_t i = 0; i < in.size(); ++i) added[i] -= in[i];
    const auto peak = [&](std::size_t n) {
        return test::peakDb(added, n * 14400 + 400, n * 14400 + 14000);
    };
    EXPECT_NEAR(peak(0) - peak(1), 6.0, 1.5);
    EXPECT_NEAR(peak(1) - peak(2), 12.0, 1.5);
    EXPECT_LT(peak(3), -100.0);
    // One stroke, one tone: without a second beginning it only falls.
    float last = 1.0F;
    for (std::size_t at = 1200; at + 1200 < 14400; at += 1200) {
        float most = 0.0F;
        for (std::size_t i = at; i < at + 1200; ++i) most = std::max(most, std::abs(added[i]));
        EXPECT_LE(most, last);
        last = most;
    }
}

// --- Modulation

std::array<std::vector<float>, 2> moved(const std::vector<double>& values,
                                        const std::vector<float>& in, int block = kBlock) {
    Modulation modulation({kAddedRate, 2}, values);
    std::array<std::vector<float>, 2> sides{in, in};
    for (std::size_t at = 0; at < in.size(); at += static_cast<std::size_t>(block)) {
        const int frames = static_cast<int>(
            std::min<std::size_t>(static_cast<std::size_t>(block), in.size() - at));
        const AudioBlock io{{sides[0].data() + at, sides[1].data() + at}, 2, frames};
        modulation.process(io, io);
    }
    return sides;
}

std::vector<double> still(double kind) {
    std::vector<double> v = standardValues(processorType("modulation").table);
    v[Modulation::kind] = kind;
    v[Modulation::depth] = 0.0;
    v[Modulation::spread] = 0.0;
    v[Modulation::lowCut] = 20.0;
    v[Modulation::mix] = 100.0;
    return v;
}

TEST(Modulation, StandingStillIsADelayOrARowOfAllPasses) {
    auto v = still(Modulation::chorus);
    v[Modulation::time] = 10.0;
    const auto in = test::noise(0.3, 24000, 2);
    const auto delayed = moved(v, in);
    double worst = 0.0;
    for (std::size_t i = 1000; i < in.size(); ++i)
        worst = std::max(worst, std::abs(static_cast<double>(delayed[0][i] - in[i - 480])));
    EXPECT_LT(worst, 1e-6);
    // An all-pass changes no level, and half of it beside the dry makes notches: six passes, three.
    v = still(Modulation::phaser);
    v[Modulation::centre] = 1000.0;
    const auto level = [&](double hertz, double mix) {
        auto w = v;
        w[Modulation::mix] = mix;
        return test::peakDb(moved(w, test::sine(hertz, 0.5, 24000, kAddedRate))[0], 12000) -
               dbFromGain(0.5);
    };
    for (const double hertz : {100.0, 400.0, 1000.0, 5000.0})
        EXPECT_NEAR(level(hertz, 100.0), 0.0, 0.05) << hertz;
    // Six all-passes at their corner turn by 540 degrees: against the dry.
    EXPECT_LT(level(1000.0, 50.0), -40.0);
    EXPECT_GT(level(20.0, 50.0), -0.2);
}

TEST(Modulation, SweepsAsFarAndAsSlowlyAsItSays) {
    auto v = still(Modulation::chorus);
    v[Modulation::period] = 1000.0;
    v[Modulation::depth] = 50.0;
    v[Modulation::time] = 10.0;
    // A ramp tells the delay of every frame: what comes out lies so much lower.
    std::vector<float> ramp(96000);
    for (std::size_t i = 0; i < ramp.size(); ++i) ramp[i] = static_cast<float>(i) * 1e-5F;
    const auto out = moved(v, ramp);
    double least = 1e9, most = 0.0;
    std::size_t crest = 0;
    for (std::size_t i = 48000; i < 96000; ++i) {
        const double ms =
            (static_cast<double>(ramp[i]) - static_cast<double>(out[0][i])) / 1e-5 / 48.0;
        least = std::min(least, ms);
        if (ms > most) {
            most = ms;
            crest = i;
        }
    }
    EXPECT_NEAR(least, 10.0 * (1.0 - 0.475), 0.06);
    EXPECT_NEAR(most, 10.0 * (1.0 + 0.475), 0.06);
    EXPECT_NEAR(static_cast<double>(crest), 48000.0 + 12000.0, 500.0);
    EXPECT_NEAR(modulationAt(v, 0, 0.25), most, 0.06);
}

TEST(Modulation, LeavesTheLowsWhereTheyAreAndTheSidesApartAsWanted) {
    auto v = still(Modulation::chorus);
    v[Modulation::depth] = 60.0;
    v[Modulation::period] = 300.0;
    v[Modulation::lowCut] = 500.0;
    const auto low = test::sine(40.0, 0.5, 48000, kAddedRate),
               high = test::sine(4000.0, 0.5, 48000, kAddedRate);
    const auto apart = [&](const std::vector<double>& values, const std::vector<float>& in) {
        const auto out = moved(values, in);
        double most = 0.0;
        for (std::size_t i = 12000; i < in.size(); ++i)
            most = std::max(most, std::abs(static_cast<double>(out[0][i] - out[1][i])));
        return most;
    };
    EXPECT_LT(apart(v, high), 1e-6) << "side by side they are alike";
    v[Modulation::spread] = 100.0;
    EXPECT_GT(apart(v, high), 0.3);
    EXPECT_LT(apart(v, low), 0.1);
    EXPECT_EQ(moved(v, high, 31)[1], moved(v, high)[1]) << "block by block or not";
}

TEST(Modulation, FedBackNeverRunsAway) {
    for (const double kind : {0.0, 1.0, 2.0}) {
        for (const double feedback : {-90.0, 90.0}) {
            auto v = still(kind);
            v[Modulation::depth] = 100.0;
            v[Modulation::period] = 50.0;
            v[Modulation::feedback] = feedback;
            EXPECT_LT(test::peakDb(moved(v, test::noise(0.5, 96000, 4))[0]), 25.0) << kind;
        }
    }
}

// --- Resonator

TEST(Resonator, RingsAtItsStringsAsLongAsItSays) {
    std::vector<double> v = standardValues(processorType("resonator").table);
    v[Resonator::note] = 220.0;
    v[Resonator::decay] = 800.0;
    v[Resonator::damp] = 0.0;
    v[Resonator::mix] = 100.0;
    Resonator resonator({kAddedRate, 1}, v);
    std::vector<float> click(48000, 0.0F);
    click[0] = 1.0F;
    const auto out = test::run(resonator, click);
    // Its spectrum peaks where the strings are.
    RealFft fft(32768);
    std::copy_n(out.begin(), 32768, fft.time().begin());
    const auto bins = fft.forward();
    const auto power = [&](double hertz) {
        return std::norm(bins[static_cast<std::size_t>(std::lround(hertz * 32768.0 / kAddedRate))]);
    };
    for (const double ratio : resonatorRatios(v))
        EXPECT_GT(power(220.0 * ratio), 300.0F * power(220.0 * ratio + 70.0)) << ratio;
    const double early = test::peakDb(out, 2400, 7200),
                 later = test::peakDb(out, 2400 + 19200, 7200 + 19200);
    EXPECT_NEAR(early - later, 30.0, 1.5) << "60 dB in 0.8 s";
    // Damped, the highest is silent sooner: by two octaves a half each.
    v[Resonator::damp] = 100.0;
    EXPECT_NEAR(resonatorDecayMs(v, 0), 800.0, 1e-9);
    EXPECT_NEAR(resonatorDecayMs(v, 3), 50.0, 1e-9);
}

TEST(Resonator, IsAsLoudHoweverLongItRings) {
    const auto noise = test::noise(0.3, 4 * 48000, 7);
    std::vector<double> levels;
    for (const double decay : {100.0, 400.0, 1600.0}) {
        std::vector<double> v = standardValues(processorType("resonator").table);
        v[Resonator::decay] = decay;
        v[Resonator::mix] = 100.0;
        Resonator resonator({kAddedRate, 1}, v);
        const auto out = test::run(resonator, noise);
        double power = 0.0;
        for (std::size_t i = 96000; i < out.size(); ++i)
            power += static_cast<double>(out[i]) * static_cast<double>(out[i]);
        levels.push_back(10.0 * std::log10(power));
    }
    EXPECT_NEAR(levels[0], levels[1], 2.0);
    EXPECT_NEAR(levels[1], levels[2], 2.0);
}

TEST(Resonator, PutsStringsApartAndAddsUpAgain) {
    std::vector<double> v = standardValues(processorType("resonator").table);
    v[Resonator::mix] = 100.0;
    v[Resonator::spread] = 100.0;
    Resonator resonator({kAddedRate, 2}, v);
    auto left = test::noise(0.3, 24000, 8), right = left;
    for (std::size_t at = 0; at + kBlock <= left.size(); at += kBlock) {
        const AudioBlock io{{left.data() + at, right.data() + at}, 2, kBlock};
        resonator.process(io, io);
    }
    double both = 0.0, one = 0.0;
    for (std::size_t i = 9600; i < left.size(); ++i) {
        both += static_cast<double>(left[i]) * static_cast<double>(right[i]);
        one += static_cast<double>(left[i]) * static_cast<double>(left[i]);
    }
    EXPECT_LT(both / one, 0.8) << "the sides differ";
}

}  // namespace
}  // namespace ember
