// Pitch and envelope of strokes: what is untouched stays, notes land where they should, envelopes
// follow their formula.

#include "core/dsp/stroke_shape.h"

#include "core/base/fft.h"
#include "core/base/units.h"
#include "core/measure/sound/partials.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

using Changes = std::vector<std::pair<std::string, double>>;

// Runs it with strokes at these frames of the signal.
std::vector<float> shape(Processor& p, const std::vector<float>& x, const std::vector<int>& at) {
    return test::run(p, x, {}, [&](int block) {
        std::vector<BlockEvent> strikes;
        for (const int frame : at) {
            const int told = frame + p.latency() - p.strokeLead() - block * kBlock;
            if (told >= 0 && told < kBlock) strikes.push_back({told, 0, false, {}});
        }
        if (!strikes.empty()) p.strike(strikes);
    });
}

// Strokes of a note that dies away, one every `gap` seconds.
struct Strokes {
    std::vector<float> x;
    std::vector<int> at;
};
Strokes strokes(double rate, double hertz, double gap = 0.5, int count = 6) {
    Strokes s;
    s.x.assign(static_cast<std::size_t>((count + 1) * gap * rate), 0.0F);
    for (int n = 0; n < count; ++n) {
        const auto start = static_cast<std::size_t>((0.5 + n) * gap * rate);
        s.at.push_back(static_cast<int>(start));
        for (std::size_t i = start; i < s.x.size(); ++i) {
            const double t = static_cast<double>(i - start) / rate;
            s.x[i] += static_cast<float>(0.5 * std::exp(-t / 0.15) *
                                         std::sin(2.0 * std::numbers::pi * hertz * t));
        }
    }
    return s;
}

// Frequency of the strongest partial in a stretch.
double noteIn(const std::vector<float>& x, double from, double to, double rate) {
    RealFft fft(131072);
    std::vector<double> power;
    addPower(fft, slice(x, rate, from, to), power);
    const auto best =
        static_cast<std::size_t>(std::max_element(power.begin(), power.end()) - power.begin());
    return peakBin(power, best) * rate / 131072.0;
}

class StrokeShapeAtRate : public testing::TestWithParam<double> {};

TEST_P(StrokeShapeAtRate, UntouchedIsWhatItWasLateByTheLookAhead) {
    const double rate = GetParam();
    const auto x = test::noise(0.5, static_cast<std::size_t>(rate), 3);
    auto p = test::make("stroke", rate);
    const auto y = shape(*p, x, {4000, 9000, 20000});
    for (std::size_t i = 0; i + static_cast<std::size_t>(p->latency()) < x.size(); ++i)
        ASSERT_EQ(y[i + static_cast<std::size_t>(p->latency())], x[i]) << i;
}

TEST_P(StrokeShapeAtRate, NotesLandWhereTheyShould) {
    const double rate = GetParam();
    const Strokes s = strokes(rate, 196.0);
    for (const double semitones : {-12.0, -5.0, -1.0, 0.5, 2.0, 7.0, 12.0}) {
        auto p = test::make("stroke", rate, {{"tune", semitones}});
        const auto y = shape(*p, s.x, s.at);
        const double late = p->latency() / rate, start = s.at[2] / rate + late;
        const double wanted = 196.0 * std::exp2(semitones / 12.0),
                     found = noteIn(y, start + 0.01, start + 0.4, rate);
        const double cents = std::abs(1200.0 * std::log2(found / wanted));
        test::accuracy("stroke tuning: note off the one asked for", "<= 5 cents", cents, "cents",
                       cents <= 5.0);
        EXPECT_LE(cents, 5.0) << semitones;
        // The stroke begins where it began: nothing before it, and then at once.
        float before = 0.0F, after = 0.0F;
        for (int i = -static_cast<int>(0.05 * rate); i < static_cast<int>(0.01 * rate); ++i) {
            const float v = std::abs(y[static_cast<std::size_t>(s.at[0] + p->latency() + i)]);
            (i < -2 ? before : after) = std::max(i < -2 ? before : after, v);
        }
        EXPECT_LT(before, 0.02F) << semitones;
        EXPECT_GT(after, 0.25F) << semitones;
    }
}

TEST_P(StrokeShapeAtRate, SeamsStayFarUnderASteadyNote) {
    const double rate = GetParam();
    // A note that does not die away shows every seam.
    const auto x = test::sine(300.0, 0.5, static_cast<std::size_t>(3.0 * rate), rate);
    for (const double semitones : {-7.0, -2.0, 3.0, 9.0}) {
        auto p = test::make("stroke", rate, {{"tune", semitones}});
        const auto y = shape(*p, x, {static_cast<int>(0.2 * rate)});
        RealFft fft(131072);
        std::vector<double> power;
        addPower(fft, slice(y, rate, 0.6, 2.8), power);
        const double wanted = 300.0 * std::exp2(semitones / 12.0), width = rate / 131072.0;
        double own = 1e-20, rest = 1e-20;
        for (std::size_t k = 1; k < power.size(); ++k)
            (std::abs(static_cast<double>(k) * width - wanted) < 12.0 ? own : rest) += power[k];
        const double db = 10.0 * std::log10(rest / own);
        test::accuracy("stroke tuning: seams and aliases against a steady note", "<= -40 dB", db,
                       "dB", db <= -40.0);
        EXPECT_LE(db, -40.0) << semitones;
    }
}

TEST_P(StrokeShapeAtRate, TheEnvelopeFollowsItsFormula) {
    const double rate = GetParam();
    const std::vector<float> ones(static_cast<std::size_t>(rate), 1.0F);
    auto p = test::make("stroke", rate, {{"length", 100.0}, {"fade", 80.0}, {"floor", -24.0}});
    const int at = static_cast<int>(0.3 * rate);
    const auto y = shape(*p, ones, {at});
    const auto gainAt = [&](double ms) {
        return static_cast<double>(
            y[static_cast<std::size_t>(at + p->latency()) +
              static_cast<std::size_t>(std::lround(framesFromMs(ms, rate)))]);
    };
    const double low = gainFromDb(-24.0);
    EXPECT_NEAR(gainAt(-50.0), low, 1e-4) << "between strokes";
    for (const double ms : {1.0, 50.0, 99.0}) EXPECT_NEAR(gainAt(ms), 1.0, 1e-6) << ms;
    for (const double ms : {120.0, 140.0, 160.0}) {
        const double along = (ms - 100.0) / 80.0;
        const double wanted = low + (1.0 - low) * 0.5 * (1.0 + std::cos(std::numbers::pi * along));
        EXPECT_NEAR(dbFromGain(gainAt(ms)), dbFromGain(wanted), 0.1) << ms;
    }
    EXPECT_NEAR(gainAt(250.0), low, 1e-4);
    // A fade-in takes the first moments.
    auto soft = test::make("stroke", rate, {{"rise", 40.0}, {"floor", 0.0}});
    const auto z = shape(*soft, ones, {at});
    const auto from = static_cast<std::size_t>(at + 2 * soft->latency() - soft->strokeLead());
    EXPECT_NEAR(static_cast<double>(
                    z[from + static_cast<std::size_t>(std::lround(framesFromMs(20.0, rate)))]),
                0.5, 0.01);
}

TEST_P(StrokeShapeAtRate, PartsThatAreReplayedSumToTheWhole) {
    const double rate = GetParam();
    const Changes changes{{"tune", -4.0}, {"length", 60.0}, {"floor", -30.0}, {"mix", 80.0}};
    auto whole = test::make("stroke", rate, changes), a = test::make("stroke", rate, changes),
         b = test::make("stroke", rate, changes);
    const auto x = test::noise(0.3, static_cast<std::size_t>(rate) / kBlock * kBlock, 5),
               other = test::noise(0.3, x.size(), 6);
    double worst = 0.0;
    for (std::size_t at = 0; at + kBlock <= x.size(); at += kBlock) {
        float sum[kBlock], one[kBlock], two[kBlock];
        for (std::size_t i = 0; i < kBlock; ++i) {
            one[i] = x[at + i];
            two[i] = other[at + i];
            sum[i] = one[i] + two[i];
        }
        if (at / kBlock % 100 == 10) {
            BlockEvent strike;
            strike.frame = 7;
            whole->strike(std::span(&strike, 1));
        }
        const AudioBlock all{{sum, nullptr}, 1, kBlock}, first{{one, nullptr}, 1, kBlock},
            second{{two, nullptr}, 1, kBlock};
        whole->process(all, all);
        a->replay(first, *whole);
        b->replay(second, *whole);
        for (std::size_t i = 0; i < kBlock; ++i)
            worst = std::max(worst, std::abs(static_cast<double>(sum[i] - one[i] - two[i])));
    }
    EXPECT_LT(dbFromGain(worst), -120.0);
}

INSTANTIATE_TEST_SUITE_P(Rates, StrokeShapeAtRate, testing::ValuesIn(test::kRates));

}  // namespace
}  // namespace ember
