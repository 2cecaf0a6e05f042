// Where drums stand in the overheads: on strokes panned by a known law.

#include "core/measure/kit/image.h"

#include "core/dsp/seat.h"
#include "tests/support/kit_truth.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// One drum struck every half second at a pan, over a noise that comes from everywhere.
double panHeard(double pan, double noiseLevel) {
    std::vector<float> left = test::noise(noiseLevel, 48000 * 8, 11),
                       right = test::noise(noiseLevel, 48000 * 8, 12);
    const PanGains gains = panMono(pan);
    KitStrokes strokes;
    for (int n = 1; n < 15; ++n) {
        const double at = 0.5 * n;
        const auto hit = test::noise(0.6, 6000, static_cast<std::uint64_t>(n));
        for (std::size_t i = 0; i < hit.size(); ++i) {
            const double v =
                std::exp(-static_cast<double>(i) / 1500.0) * static_cast<double>(hit[i]);
            left[static_cast<std::size_t>(at * 48000.0) + i] += static_cast<float>(gains.left * v);
            right[static_cast<std::size_t>(at * 48000.0) + i] +=
                static_cast<float>(gains.right * v);
        }
        strokes.strokes.push_back(
            {at, "rack-tom", "rack", 0.9, 0.0, StrokeKind::accent, 1.0, false});
    }
    KitMics kit;
    kit.mics.push_back({"rack", Role::rackTom, {left}, 0});
    kit.mics.push_back({"overhead", Role::overhead, {left, right}, 0});
    kit.drums = drumsOf({Role::rackTom, Role::overhead});
    for (const DrumImage& image : measureImage(kit, strokes)) {
        if (image.drum == "rack-tom") return image.pan;
    }
    return 99.0;
}

TEST(Image, IsWhereTheDrumWasPanned) {
    for (const double pan : {-0.8, -0.3, 0.0, 0.25, 0.9}) {
        EXPECT_NEAR(panHeard(pan, 0.0), pan, 0.01);
        EXPECT_NEAR(panHeard(pan, 0.02), pan, 0.05) << "what else sounds is taken off";
    }
}

TEST(Image, IsNotGuessedWithoutAPair) {
    std::vector<float> one(48000, 0.1F);
    KitMics kit;
    kit.mics.push_back({"rack", Role::rackTom, {one}, 0});
    kit.drums = drumsOf({Role::rackTom});
    EXPECT_TRUE(measureImage(kit, {}).empty());
}

TEST(Image, OfTheSimulatedKitPutsHatAndFloorTomOnOppositeSides) {
    const test::TruthKit truth(test::variedKit(302, demo::MicSet::full, 30.0));
    double hat = 0.0, low = 0.0;
    for (const DrumImage& i : measureImage(truth.kit(), measureStrokes(truth.kit()))) {
        EXPECT_LE(std::abs(i.pan), 1.0);
        EXPECT_GT(i.strokes, 0);
        if (i.drum == "hihat") hat = i.pan;
        if (i.drum == "floor-tom") low = i.pan;
    }
    EXPECT_LT(hat * low, 0.0);
}

}  // namespace
}  // namespace ember
