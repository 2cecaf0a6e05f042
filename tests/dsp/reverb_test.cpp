// The reverb: decays by octave, density, level, what it leaves alone.

#include "core/dsp/reverb.h"

#include "core/base/fft.h"
#include "core/base/units.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ember {
namespace {

using Changes = std::vector<std::pair<std::string, double>>;

// Both sides of what a click leaves, on the sides named.
std::array<std::vector<float>, 2> response(const Changes& changes, double rate, double seconds,
                                           bool left = true, bool right = true) {
    auto reverb = test::make("reverb", rate, changes, 2);
    const auto blocks = static_cast<std::size_t>(seconds * rate) / kBlock;
    std::array<std::vector<float>, 2> out;
    for (auto& side : out) side.assign(blocks * kBlock, 0.0F);
    out[0][0] = left ? 1.0F : 0.0F;
    out[1][0] = right ? 1.0F : 0.0F;
    for (std::size_t b = 0; b < blocks; ++b) {
        const AudioBlock io{{out[0].data() + b * kBlock, out[1].data() + b * kBlock}, 2, kBlock};
        reverb->process(io, io);
    }
    return out;
}

std::vector<double> valuesWith(const Changes& changes) {
    const ParameterTable table = processorType("reverb").table;
    std::vector<double> values = standardValues(table);
    for (const auto& [id, value] : changes)
        values[static_cast<std::size_t>(parameterIndex(table, id))] = value;
    return values;
}

// Milliseconds of a fall by 60 dB, from the line through what lies 5 to 35 dB under the beginning.
double fallMs(const std::vector<double>& energy, double msPerPlace) {
    double n = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
    for (std::size_t i = 0; i < energy.size(); ++i) {
        const double db = 10.0 * std::log10(energy[i] / energy[0] + 1e-30),
                     ms = msPerPlace * static_cast<double>(i);
        if (db > -5.0 || db < -35.0) continue;
        n += 1.0;
        x += ms;
        y += db;
        xx += ms * ms;
        xy += ms * db;
    }
    return -60.0 / ((n * xy - x * y) / (n * xx - x * x));
}

// Reverberation time of an octave by backward integration (Schroeder, JASA 37, 1965) over all ways
// through it, which have equally long sounds.
double decayMs(const std::vector<std::vector<float>>& heard, double rate, double octave) {
    constexpr std::size_t kFrame = 2048, kHop = 256;
    RealFft fft(kFrame);
    std::vector<double> energy;
    for (std::size_t at = 0; at + kFrame <= heard[0].size(); at += kHop) {
        double sum = 0.0;
        for (const auto& side : heard) {
            for (std::size_t i = 0; i < kFrame; ++i) {
                const double turn = 2.0 * std::numbers::pi * static_cast<double>(i) / kFrame;
                fft.time()[i] = static_cast<float>(0.5 - 0.5 * std::cos(turn)) * side[at + i];
            }
            const auto bins = fft.forward();
            for (std::size_t k = 0; k < bins.size(); ++k) {
                const double hertz = static_cast<double>(k) * rate / kFrame;
                if (hertz >= octave / std::numbers::sqrt2 && hertz < octave * std::numbers::sqrt2)
                    sum += static_cast<double>(std::norm(bins[k]));
            }
        }
        energy.push_back(sum);
    }
    std::partial_sum(energy.rbegin(), energy.rend(), energy.rbegin());
    return fallMs(energy, 1000.0 * kHop / rate);
}

// What the numbers say of the same octave: every frequency in it falls at its own pace.
double saidMs(const std::vector<double>& values, double octave) {
    constexpr int kParts = 32;
    std::vector<double> energy;
    for (double ms = 0.0; ms < 2.0 * values[Reverb::decay]; ms += 5.0) {
        double sum = 0.0;
        for (int k = 0; k < kParts; ++k) {
            const double t =
                reverbDecayMs(values, octave / std::numbers::sqrt2 * (1.0 + (k + 0.5) / kParts));
            sum += t * std::pow(10.0, -6.0 * ms / t);
        }
        energy.push_back(sum);
    }
    return fallMs(energy, 5.0);
}

class ReverbAtRate : public testing::TestWithParam<double> {};
INSTANTIATE_TEST_SUITE_P(Rates, ReverbAtRate, testing::Values(44100.0, 48000.0, 96000.0));

TEST_P(ReverbAtRate, DecaysInEveryOctaveAsItsNumbersSay) {
    const std::vector<Changes> settings{
        {{"decay", 1200.0}},
        {{"kind", 1.0}, {"decay", 500.0}, {"size", 70.0}, {"early", 0.0}},
        {{"decay", 2500.0}, {"low-decay", 140.0}, {"high-decay", 30.0}, {"modulation", 60.0}},
        {{"decay", 800.0}, {"low-decay", 50.0}, {"low-corner", 400.0}, {"high-decay", 100.0}}};
    double worst = 0.0;
    for (Changes changes : settings) {
        const std::vector<double> values = valuesWith(changes);
        changes.insert(changes.end(), {{"low-cut", 20.0}, {"high-cut", 20000.0}});
        std::vector<std::vector<float>> heard;
        for (const bool left : {true, false}) {
            for (auto& side :
                 response(changes, GetParam(), 2.2e-3 * values[Reverb::decay], left, !left))
                heard.push_back(std::move(side));
        }
        for (double octave = 125.0; octave <= 8000.0; octave *= 2.0) {
            const double wanted = saidMs(values, octave),
                         off = decayMs(heard, GetParam(), octave) / wanted - 1.0;
            worst = std::max(worst, std::abs(off));
            EXPECT_LT(std::abs(off), 0.07) << off << " at " << octave << " Hz, wanted " << wanted
                                           << " ms of " << values[Reverb::decay];
        }
    }
    test::accuracy("reverb: decay by octave, 125 Hz to 8 kHz", "<= 7 %", 100.0 * worst, "%",
                   worst <= 0.07);
}

TEST(Reverb, IsDenseEnoughForItsLongestDecay) {
    const Reverb shortest({48000.0, 2}, valuesWith({{"size", 60.0}}));
    const double least = framesFromMs(0.15 * 4000.0, 48000.0);
    test::accuracy("reverb: delays together against 0.15 of the longest decay", ">= 1",
                   shortest.totalDelay() / least, "", shortest.totalDelay() >= least);
    EXPECT_GE(shortest.totalDelay(), least);
    // Abel & Huang, "A simple, robust measure of reverberation echo density", AES 121st Convention,
    // 2006: share of samples beyond one standard deviation in 20 ms, against that of noise.
    for (const double kind : {0.0, 1.0}) {
        const auto heard =
            response({{"kind", kind}, {"pre-delay", 0.0}, {"decay", 1500.0}}, 48000.0, 0.3)[0];
        const std::size_t half = 480, at = 48 * 80 + 48 * 17;  // 80 ms behind the first of the tail
        double sum = 0.0;
        for (std::size_t i = at - half; i < at + half; ++i)
            sum += static_cast<double>(heard[i] * heard[i]);
        const double deviation = std::sqrt(sum / (2.0 * half));
        int beyond = 0;
        for (std::size_t i = at - half; i < at + half; ++i)
            beyond += std::abs(static_cast<double>(heard[i])) > deviation ? 1 : 0;
        const double density = beyond / (2.0 * half) / std::erfc(1.0 / std::numbers::sqrt2);
        test::accuracy("reverb: echo density after 80 ms", ">= 0.9", density, "", density >= 0.9);
        EXPECT_GE(density, 0.9) << kind;
    }
}

TEST(Reverb, IsNotLouderForBeingLonger) {
    const auto in = test::noise(0.2, 6 * 48000);
    std::vector<double> levels;
    for (const double decay : {300.0, 1000.0, 3000.0}) {
        auto reverb = test::make("reverb", 48000.0,
                                 {{"decay", decay},
                                  {"low-cut", 20.0},
                                  {"high-cut", 20000.0},
                                  {"low-decay", 100.0},
                                  {"high-decay", 100.0}});
        const auto out = test::run(*reverb, in);
        double sum = 0.0;
        for (std::size_t i = out.size() - 96000; i < out.size(); ++i)
            sum += static_cast<double>(out[i] * out[i]);
        levels.push_back(10.0 * std::log10(sum / 96000.0));
    }
    const auto [least, most] = std::minmax_element(levels.begin(), levels.end());
    EXPECT_LT(*most - *least, 1.0);
    // The poles of its open high cut still take something of white noise.
    EXPECT_NEAR(levels[1], 20.0 * std::log10(0.2 / std::sqrt(3.0)), 2.0) << "as loud as it came";
}

TEST(Reverb, LeavesTheUntouchedShareAloneAndTheMonoSum) {
    // At no mix it is not there, bit for bit.
    const auto in = test::noise(0.5, 9600);
    auto off = test::make("reverb", 48000.0, {{"mix", 0.0}});
    const auto same = test::run(*off, in);
    EXPECT_TRUE(std::equal(same.begin(), same.end(), in.begin()));
    // Width turns the sides and leaves the sum.
    const auto wide = response({{"width", 150.0}}, 48000.0, 0.5),
               narrow = response({{"width", 0.0}}, 48000.0, 0.5);
    double side = 0.0;
    for (std::size_t i = 0; i < wide[0].size(); ++i) {
        ASSERT_NEAR(wide[0][i] + wide[1][i], narrow[0][i] + narrow[1][i], 1e-6F) << i;
        ASSERT_NEAR(narrow[0][i], narrow[1][i], 1e-7F);
        side = std::max(side, std::abs(static_cast<double>(wide[0][i] - wide[1][i])));
    }
    EXPECT_GT(side, 0.01);
}

TEST(Reverb, ARoomAnswersBeforeItsTailAndAPreDelayIsKept) {
    const auto first = [](const Changes& changes) {
        const auto heard = response(changes, 48000.0, 0.3)[0];
        return std::find_if(heard.begin(), heard.end(),
                            [](float x) { return std::abs(x) > 1e-4F; }) -
               heard.begin();
    };
    const auto plate = first({{"kind", 0.0}, {"pre-delay", 0.0}}),
               room = first({{"kind", 1.0}, {"pre-delay", 0.0}});
    EXPECT_LT(room, plate);
    EXPECT_EQ(first({{"kind", 1.0}, {"pre-delay", 50.0}}) - room, 2400);
    EXPECT_GE(first({{"kind", 1.0}, {"pre-delay", 0.0}, {"early", 0.0}}), plate - 48);
}

TEST(Reverb, RingsOnAndDiesAway) {
    const auto heard = response({{"decay", 4000.0}, {"modulation", 100.0}}, 48000.0, 9.0);
    EXPECT_GT(test::peakDb(std::vector<float>(heard[0].begin() + 48000, heard[0].begin() + 96000)),
              -60.0);
    EXPECT_LT(test::peakDb(std::vector<float>(heard[0].end() - 4800, heard[0].end())), -110.0);
}

TEST(Reverb, GivesWayWhileTheDrumSoundsAndFillsTheGap) {
    std::vector<double> open = standardValues(processorType("reverb").table), ducked = open;
    open[Reverb::decay] = ducked[Reverb::decay] = 1500.0;
    ducked[Reverb::duck] = 18.0;
    std::vector<float> in = test::noise(0.5, 24000, 6);
    in.resize(72000, 0.0F);
    Reverb plain({48000.0, 1}, open), giving({48000.0, 1}, ducked);
    const auto a = test::run(plain, in), b = test::run(giving, in);
    EXPECT_NEAR(test::peakDb(b, 14400, 24000) - test::peakDb(a, 14400, 24000), -18.0, 0.5);
    EXPECT_NEAR(test::peakDb(b, 55000) - test::peakDb(a, 55000), 0.0, 1.0) << "and comes back";
    EXPECT_TRUE(plain.replaysExactly());
    EXPECT_FALSE(giving.replaysExactly());
}

}  // namespace
}  // namespace ember
