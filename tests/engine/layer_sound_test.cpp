// A layer's sound: its pitch with time and without, its cuts, and what bends it.
#include "core/engine/layer_sound.h"

#include "core/base/fft.h"
#include "core/base/units.h"
#include "core/session/layers.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

namespace ember {
namespace {

constexpr int kSoundRate = 48000;

// A layer of one file.
struct OneSound {
    test::TempFolder folder;
    Layer layer;

    explicit OneSound(const std::vector<float>& samples) {
        test::writeMono(folder / "sound.wav", samples);
        layer = makeLayer("x", "X", {{(folder / "sound.wav").string(), ""}});
        layer.values[Layer::fadeOut] = 0.0;
    }
    [[nodiscard]] std::vector<float> with(
        const std::vector<std::pair<Layer::Index, double>>& values) const {
        Layer other = layer;
        for (const auto& [index, value] : values)
            other.values[static_cast<std::size_t>(index)] = value;
        return layerSound(other, other.sounds.front(), test::sharedStore(), kSoundRate)
            ->channels.front();
    }
};

// Its level around a frequency, dB.
double levelAt(const std::vector<float>& samples, double hertz) {
    double re = 0.0, im = 0.0;
    const std::size_t from = samples.size() / 4, to = 3 * samples.size() / 4;
    for (std::size_t i = from; i < to; ++i) {
        const double at = static_cast<double>(i - from) / static_cast<double>(to - from),
                     window = 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * at),
                     phase = 2.0 * std::numbers::pi * hertz * static_cast<double>(i) / kSoundRate;
        re += window * static_cast<double>(samples[i]) * std::cos(phase);
        im += window * static_cast<double>(samples[i]) * std::sin(phase);
    }
    return dbFromGain(4.0 * std::hypot(re, im) / static_cast<double>(to - from));
}

TEST(LayerSound, PitchMovesTheLengthOrLeavesIt) {
    // A stick and a tone that dies away.
    std::vector<float> stroke = test::sine(200.0, 0.5, 24000, kSoundRate);
    for (std::size_t i = 0; i < stroke.size(); ++i)
        stroke[i] = static_cast<float>(static_cast<double>(stroke[i]) *
                                       std::exp(-static_cast<double>(i) / 9000.0));
    const auto click = test::noise(0.8, 200, 5);
    for (std::size_t i = 0; i < click.size(); ++i) stroke[i] += click[i];
    const OneSound sound(stroke);
    const auto tape = sound.with({{Layer::pitch, 12.0}}),
               kept = sound.with({{Layer::pitch, 12.0}, {Layer::keepLength, 1.0}});
    EXPECT_NEAR(static_cast<double>(tape.size()), 12000.0, 2.0);
    ASSERT_EQ(kept.size(), stroke.size());
    EXPECT_GT(levelAt(kept, 400.0), levelAt(kept, 200.0) + 20.0);
    // The stick is there within a millisecond or two, and the body as long as it was.
    const auto reaches = [](const std::vector<float>& samples) {
        const float half = 0.5F * *std::max_element(samples.begin(), samples.begin() + 2400);
        return std::find_if(samples.begin(), samples.end(), [half](float v) { return v >= half; }) -
               samples.begin();
    };
    EXPECT_LT(std::abs(reaches(kept) - reaches(stroke)), 96);
    const double fell = test::peakDb(stroke, 2400, 7200) - test::peakDb(stroke, 16000, 20000);
    EXPECT_NEAR(test::peakDb(kept, 2400, 7200) - test::peakDb(kept, 16000, 20000), fell, 2.0);
    // Nothing to shift is nothing done.
    EXPECT_EQ(sound.with({{Layer::keepLength, 1.0}}), stroke);
}

TEST(LayerSound, CutsAreAsSteepAsTheySayAndRingWhereTheyCut) {
    // Three tones: two octaves under the corner, at it, two octaves above.
    std::vector<float> tones(48000, 0.0F);
    for (const double hertz : {250.0, 1000.0, 4000.0}) {
        const auto tone = test::sine(hertz, 0.1, tones.size(), kSoundRate);
        for (std::size_t i = 0; i < tones.size(); ++i) tones[i] += tone[i];
    }
    const OneSound sound(tones);
    for (const auto& [slope, perOctave] :
         std::vector<std::pair<double, double>>{{0.0, 12.0}, {1.0, 24.0}, {2.0, 48.0}}) {
        const auto high = sound.with({{Layer::lowCut, 1000.0}, {Layer::slope, slope}}),
                   low = sound.with({{Layer::highCut, 1000.0}, {Layer::slope, slope}});
        EXPECT_NEAR(levelAt(high, 250.0) - levelAt(tones, 250.0), -2.0 * perOctave, 0.5);
        EXPECT_NEAR(levelAt(low, 4000.0) - levelAt(tones, 4000.0), -2.0 * perOctave, 1.5);
        EXPECT_NEAR(levelAt(high, 1000.0) - levelAt(tones, 1000.0), -3.01, 0.2);
        const auto rung =
            sound.with({{Layer::lowCut, 1000.0}, {Layer::slope, slope}, {Layer::resonance, 12.0}});
        EXPECT_NEAR(levelAt(rung, 1000.0) - levelAt(high, 1000.0), 12.0, 0.2);
        EXPECT_NEAR(levelAt(rung, 4000.0) - levelAt(high, 4000.0), 0.0, 0.7);
    }
}

TEST(LayerSound, DriveKeepsThePeakAndBringsUpWhatIsSoft) {
    std::vector<float> fading = test::sine(5000.0, 0.8, 48000, kSoundRate);
    for (std::size_t i = 0; i < fading.size(); ++i)
        fading[i] = static_cast<float>(static_cast<double>(fading[i]) *
                                       std::exp(-static_cast<double>(i) / 16000.0));
    const OneSound sound(fading);
    const auto bent = sound.with({{Layer::drive, 24.0}});
    ASSERT_EQ(bent.size(), fading.size());
    EXPECT_NEAR(test::peakDb(bent, 0, 12000), test::peakDb(fading, 0, 12000), 0.01);
    EXPECT_GT(test::peakDb(bent, 40000, 47000) - test::peakDb(fading, 40000, 47000), 12.0);
    // Its third overtone is there, and what would fold back under it is not (25 kHz as 23 kHz).
    EXPECT_GT(levelAt(bent, 15000.0), levelAt(bent, 5000.0) - 16.0);
    EXPECT_LT(levelAt(bent, 23000.0), levelAt(bent, 5000.0) - 70.0);
}

}  // namespace
}  // namespace ember
