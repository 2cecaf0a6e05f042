#include "core/base/units.h"
#include "core/measure/sound/spectrum.h"
#include "demo/kit.h"
#include "tests/demo/real_drums.h"
#include "tests/support/support.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ember {
namespace {

using demo::Drum;
using demo::Stroke;

constexpr double kRate = 48000.0;

std::vector<float> strike(Drum drum, double velocity, std::uint64_t seed, double seconds = 4.0) {
    demo::KitOptions options;
    options.seconds = seconds;
    options.seed = seed;
    Stroke stroke;
    stroke.time = 0.1;
    stroke.drum = drum;
    stroke.velocity = velocity;
    stroke.articulation =
        drum == Drum::hat ? demo::Articulation::closed : demo::Articulation::normal;
    demo::Radiation r = demo::radiate(drum, demo::makeKit(options), {stroke}, options);
    for (std::size_t i = 0; i < r.second.size(); ++i) r.first[i] += r.second[i];
    return std::move(r.first);
}

struct Seen {
    double strongestHz = 0.0, centroidHz = 0.0, decay = 0.0, crestDb = 0.0, peakDb = 0.0;
};

Seen look(const std::vector<float>& x) {
    Seen s;
    const auto start = static_cast<std::size_t>(0.1 * kRate);
    // Centroid over the first 80 ms from a spectrum of that piece.
    std::vector<float> piece(SpectrumMeter::kLength, 0.0F);
    std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(start),
                static_cast<std::ptrdiff_t>(0.08 * kRate), piece.begin() + 2048);
    SpectrumMeter meter(kRate);
    meter.add(piece);
    const Spectrum spectrum = meter.result(12);
    double weight = 0.0, sum = 0.0, best = -200.0;
    for (std::size_t i = 0; i < spectrum.level.size(); ++i) {
        const double power = std::pow(10.0, spectrum.level[i] / 10.0);
        weight += power;
        sum += power * spectrum.frequency[i];
        if (spectrum.level[i] > best) {
            best = spectrum.level[i];
            s.strongestHz = spectrum.frequency[i];
        }
    }
    s.centroidHz = sum / weight;
    double peak = 0.0, power = 0.0;
    const auto crest = static_cast<std::size_t>(0.25 * kRate);
    for (std::size_t i = start; i < start + crest; ++i) {
        peak = std::max(peak, static_cast<double>(std::abs(x[i])));
        power += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    }
    s.peakDb = dbFromGain(peak);
    s.crestDb = s.peakDb - 10.0 * std::log10(power / static_cast<double>(crest));
    // Schroeder's backward integral; the fall from -5 to -25 dB, times three.
    std::vector<double> energy(x.size() + 1, 0.0);
    for (std::size_t i = x.size(); i-- > start;)
        energy[i] = energy[i + 1] + static_cast<double>(x[i]) * static_cast<double>(x[i]);
    std::size_t five = start, twentyFive = start;
    while (five < x.size() && energy[five] > energy[start] * std::pow(10.0, -0.5)) ++five;
    while (twentyFive < x.size() && energy[twentyFive] > energy[start] * std::pow(10.0, -2.5))
        ++twentyFive;
    s.decay = 3.0 * static_cast<double>(twentyFive - five) / kRate;
    return s;
}

bool within(double value, const test::Range& range) {
    return value >= range.low && value <= range.high;
}

class RealDrums : public testing::TestWithParam<test::RealDrum> {};

TEST_P(RealDrums, TheSimulatedOneBehavesLikeIt) {
    const test::RealDrum& real = GetParam();
    const char* name = demo::kDrumNames[static_cast<int>(real.drum)];
    for (std::uint64_t seed = 1; seed <= 3; ++seed) {
        const Seen s = look(strike(real.drum, 0.85, seed));
        EXPECT_TRUE(within(s.strongestHz, real.strongestHz))
            << name << " strongest " << s.strongestHz << " Hz";
        EXPECT_TRUE(within(s.centroidHz, real.centroidHz))
            << name << " centroid " << s.centroidHz << " Hz";
        EXPECT_TRUE(within(s.decay, real.decaySeconds)) << name << " decay " << s.decay << " s";
        EXPECT_TRUE(within(s.crestDb, real.crestDb)) << name << " crest " << s.crestDb << " dB";
    }
}

TEST_P(RealDrums, NoTwoStrokesAreAlike) {
    const test::RealDrum& real = GetParam();
    const char* name = demo::kDrumNames[static_cast<int>(real.drum)];
    demo::KitOptions options;
    options.seconds = 90.0;
    std::vector<double> peaks, velocities;
    for (const Stroke& s : demo::playScore(options)) {
        if (s.drum == real.drum && (s.kind == demo::StrokeKind::normal || real.drum == Drum::crash))
            velocities.push_back(s.velocity);
    }
    ASSERT_GE(velocities.size(), 3U) << name;
    for (std::size_t i = 0; i < std::min<std::size_t>(12, velocities.size()); ++i)
        peaks.push_back(look(strike(real.drum, velocities[i], i + 50, 1.0)).peakDb);
    const double mean =
        std::accumulate(peaks.begin(), peaks.end(), 0.0) / static_cast<double>(peaks.size());
    double variance = 0.0;
    for (const double p : peaks) variance += (p - mean) * (p - mean);
    const double spread = std::sqrt(variance / static_cast<double>(peaks.size() - 1));
    EXPECT_TRUE(within(spread, real.levelSpreadDb)) << name << " spread " << spread << " dB";
}

TEST_P(RealDrums, HarderStrokesAreLouderAndBrighter) {
    const test::RealDrum& real = GetParam();
    const Seen soft = look(strike(real.drum, 0.25, 4)), hard = look(strike(real.drum, 0.95, 4));
    EXPECT_GT(hard.peakDb, soft.peakDb + 8.0);
    EXPECT_GT(hard.centroidHz, soft.centroidHz * 1.02)
        << demo::kDrumNames[static_cast<int>(real.drum)];
}

INSTANTIATE_TEST_SUITE_P(Kit, RealDrums, testing::ValuesIn(test::kRealDrums), [](const auto& drum) {
    std::string name = demo::kDrumNames[static_cast<int>(drum.param.drum)];
    std::erase(name, '-');
    return name;
});

TEST(DemoKit, IsTheSameForTheSameSeedAndAnotherForAnother) {
    demo::KitOptions options;
    options.seconds = 3.0;
    const demo::Recording a = demo::record(options), b = demo::record(options);
    options.seed = 2;
    const demo::Recording c = demo::record(options);
    ASSERT_EQ(a.mics.size(), 12U);
    for (std::size_t m = 0; m < a.mics.size(); ++m) {
        EXPECT_EQ(a.mics[m].signal, b.mics[m].signal);
        EXPECT_NE(a.mics[m].signal, c.mics[m].signal);
    }
}

TEST(DemoKit, DrummerPlaysAccentsGhostsAndFlams) {
    const auto strokes = demo::playScore({});
    std::map<demo::StrokeKind, int> kinds;
    double last = -1.0;
    for (const Stroke& s : strokes) {
        ++kinds[s.kind];
        EXPECT_GE(s.time, last);
        last = s.time;
        EXPECT_GT(s.velocity, 0.0);
        EXPECT_LE(s.velocity, 1.0);
    }
    EXPECT_GE(kinds[demo::StrokeKind::accent], 20);
    EXPECT_GE(kinds[demo::StrokeKind::ghost], 20);
    EXPECT_GE(kinds[demo::StrokeKind::flam], 2);
    std::map<Drum, int> drums;
    for (const Stroke& s : strokes) ++drums[s.drum];
    EXPECT_EQ(drums.size(), static_cast<std::size_t>(demo::kDrums));
}

TEST(DemoKit, EveryDrumBleedsAndEveryMicHearsItsOwnDrumLoudest) {
    const demo::Recording& r = test::shortRecording();
    const std::map<std::string, std::size_t> own{{"kick-in", 0},   {"kick-out", 0},
                                                 {"snare-top", 1}, {"snare-bottom", 1},
                                                 {"rack-tom", 3},  {"floor-tom", 4}};
    for (std::size_t m = 0; m < r.mics.size(); ++m) {
        const auto at = own.find(r.mics[m].id);
        if (at == own.end()) continue;
        const auto played = std::count_if(r.strokes.begin(), r.strokes.end(), [&](const Stroke& s) {
            return static_cast<std::size_t>(s.drum) == at->second;
        });
        if (played < 4) continue;  // a few soft strokes are no measure of the mic
        for (std::size_t d = 0; d < demo::kDrums; ++d) {
            const bool heard =
                std::any_of(r.strokes.begin(), r.strokes.end(),
                            [&](const Stroke& s) { return static_cast<std::size_t>(s.drum) == d; });
            if (!heard || d == at->second || r.drumInMic[d][m].levelDb < -100.0) continue;
            EXPECT_LT(r.drumInMic[d][m].levelDb, r.drumInMic[at->second][m].levelDb - 6.0)
                << r.mics[m].id << " hears " << demo::kDrumNames[d];
            EXPECT_GT(r.drumInMic[d][m].levelDb, -60.0)
                << r.mics[m].id << " must hear some " << demo::kDrumNames[d];
        }
    }
}

TEST(DemoKit, BottomMicIsOppositeAndOutsideMicLate) {
    const demo::Recording& r = test::shortRecording();
    const auto mic = [&](const std::string& id) {
        for (std::size_t m = 0; m < r.mics.size(); ++m) {
            if (r.mics[m].id == id) return m;
        }
        return std::size_t{0};
    };
    EXPECT_EQ(r.drumInMic[1][mic("snare-bottom")].polarity, -1);
    EXPECT_EQ(r.drumInMic[1][mic("snare-top")].polarity, 1);
    EXPECT_GT(r.drumInMic[1][mic("overhead-l")].delayMs,
              r.drumInMic[1][mic("snare-top")].delayMs + 1.0);
    // The truth must be in the sound: below 400 Hz the two snare mics move against each other.
    const auto& top = r.mics[mic("snare-top")].signal;
    const auto& bottom = r.mics[mic("snare-bottom")].signal;
    double xy = 0.0, low1 = 0.0, low2 = 0.0;
    for (std::size_t i = 0; i < top.size(); ++i) {
        low1 += 0.03 * (static_cast<double>(top[i]) - low1);
        low2 += 0.03 * (static_cast<double>(bottom[i]) - low2);
        xy += low1 * low2;
    }
    EXPECT_LT(xy, 0.0);
}

TEST(DemoKit, TruthSaysEveryStroke) {
    const auto truth = nlohmann::json::parse(demo::truthJson(test::shortRecording()));
    EXPECT_EQ(truth["strokes"].size(), test::shortRecording().strokes.size());
    EXPECT_EQ(truth["mics"].size(), 12U);
    for (const auto& stroke : truth["strokes"]) {
        EXPECT_TRUE(stroke.contains("time_s") && stroke.contains("drum") &&
                    stroke.contains("velocity") && stroke.contains("kind"));
    }
}

TEST(DemoKit, ServesOtherRatesMicSetsAndKits) {
    for (const double rate : {44100.0, 96000.0}) {
        demo::KitOptions options;
        options.seconds = 6.0;
        options.sampleRate = rate;
        options.variation = 1.0;
        options.mics = rate > 50000.0 ? demo::MicSet::stereo : demo::MicSet::reduced;
        const demo::Recording r = demo::record(options);
        EXPECT_EQ(r.mics.size(), rate > 50000.0 ? 2U : 4U);
        for (const auto& mic : r.mics) {
            for (const float x : mic.signal) ASSERT_TRUE(std::isfinite(x));
            EXPECT_GT(test::peakDb(mic.signal), -30.0);
            EXPECT_LT(test::peakDb(mic.signal), 0.0);
        }
    }
}

}  // namespace
}  // namespace ember
