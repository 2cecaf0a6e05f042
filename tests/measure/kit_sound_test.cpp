// How drums and microphones sound, against what the simulation knows. ./run accuracy takes more
// kits than the tests.

#include "core/measure/kit/bleed.h"
#include "core/measure/kit/phase.h"
#include "core/measure/separate/bleed_model.h"
#include "core/measure/sound/tone.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"
#include "tests/support/worlds.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

using test::Half;
using test::World;

double percent(int part, int all) {
    return 100.0 * part / std::max(1, all);
}

// Worlds that can be judged here.
std::vector<World> worlds() {
    if (!test::haveSmallSet()) return {World::simulated};
    return {World::simulated, World::recorded};
}

TEST(Phase, PolarityIsRightWhereItIsSaid) {
    for (const World world : worlds()) {
        int said = 0, right = 0, near = 0, close = 0, sure = 0, mistaken = 0;
        for (int n = 0; n < (test::allKits() ? 8 : 1); ++n) {
            const auto kit = test::worldKit(world, Half::judged, n, demo::MicSet::full);
            const test::TruthKit& truth = *kit;
            const auto& recording = truth.recording();
            for (const PhasePair& p : measurePhase(truth.kit(), measureStrokes(truth.kit()))) {
                if (p.mic == p.reference) continue;
                // There the outer head and the wires are recordings of their own, or filtered: what
                // their polarity is nobody can say.
                const bool outer = p.mic == "kick-out" || p.mic == "snare-bottom" ||
                                   p.reference == "kick-out" || p.reference == "snare-bottom";
                if (world == World::recorded && outer) continue;
                const auto struck = std::find_if(
                    recording.strokes.begin(), recording.strokes.end(), [&](const demo::Stroke& s) {
                        return truth.drumOf(s) == p.drum && s.drum != demo::Drum::crash;
                    });
                if (struck == recording.strokes.end()) continue;
                int polarity = 1, ours = 1;
                double level = -150.0, loudest = -150.0;
                const auto drum = static_cast<std::size_t>(struck->drum);
                for (std::size_t m = 0; m < recording.mics.size(); ++m) {
                    if (recording.mics[m].id.starts_with(p.reference))
                        ours = recording.drumInMic[drum][m].polarity;
                    if (!recording.mics[m].id.starts_with(p.mic)) continue;
                    polarity = recording.drumInMic[drum][m].polarity;
                    level = recording.drumInMic[drum][m].levelDb;
                    for (const auto& d : recording.drumInMic)
                        loudest = std::max(loudest, d[m].levelDb);
                }
                if (p.polarity != 0) {
                    ++said;
                    right += p.polarity == polarity * ours ? 1 : 0;
                }
                if (level < loudest - 20.0) continue;
                ++near;
                const double delay =
                    (truth.delay(*struck, p.mic) - truth.delay(*struck, p.reference)) *
                    recording.options.sampleRate;
                close += std::abs(p.delaySamples - delay) <= 1.0 ? 1 : 0;
                // Where other sides of a drum were recorded apart, so that theirs is not known.
                if (!p.delaySure || outer) continue;
                ++sure;
                mistaken += std::abs(p.delaySamples - delay) > 5.0 ? 1 : 0;
            }
        }
        const double polarities = percent(right, said), delays = percent(close, near),
                     mistakes = percent(mistaken, sure);
        const std::string where = std::string(", ") + test::nameOf(world);
        test::accuracy("phase: polarity right where it is said" + where, "100 %", polarities, "%",
                       right == said);
        test::accuracy("phase: delay within a sample, bleed of -20 dB or more" + where, ">= 98 %",
                       delays, "%", delays >= 98.0);
        test::accuracy("phase: sure of a delay" + where, "-", percent(sure, near), "%", true);
        test::accuracy("phase: more than 5 samples off though sure" + where, "< 1 %", mistakes, "%",
                       mistakes < 1.0);
        EXPECT_GT(said, world == World::simulated ? 20 : 8);
        EXPECT_GE(polarities, world == World::simulated ? 99.0 : 95.0);
        EXPECT_GE(delays, world == World::simulated ? 90.0 : 70.0);
        EXPECT_LE(mistakes, world == World::simulated ? 1.0 : 4.0);
    }
}

TEST(Phase, FindsAKnownDelayAndPolarity) {
    // The same strokes in two microphones, the second 37 samples late, softer and upside down.
    std::vector<float> first(48000 * 6, 0.0F), second(first.size(), 0.0F);
    KitStrokes strokes;
    for (int n = 0; n < 11; ++n) {
        const auto at = static_cast<std::size_t>(24000 * (n + 1));
        const auto hit = test::noise(0.5F, 4000, static_cast<std::uint64_t>(n + 1));
        for (std::size_t i = 0; i < hit.size(); ++i) {
            const double t = static_cast<double>(i) / 48000.0;
            const auto v = static_cast<float>(std::exp(-t / 0.01) * static_cast<double>(hit[i]) +
                                              0.5 * std::exp(-t / 0.05) *
                                                  std::sin(2.0 * 3.14159265 * 190.0 * t));
            first[at + i] += v;
            second[at + 37 + i] -= 0.3F * v;
        }
        strokes.strokes.push_back({static_cast<double>(at) / 48000.0, "snare", "top", 0.9, 0.0,
                                   StrokeKind::accent, 1.0, false});
    }
    KitMics kit;
    kit.mics.push_back({"top", Role::snareTop, {first}, 0});
    kit.mics.push_back({"bottom", Role::snareBottom, {second}, 0});
    kit.drums = drumsOf({Role::snareTop, Role::snareBottom});
    const auto pairs = measurePhase(kit, strokes);
    const auto found = std::find_if(pairs.begin(), pairs.end(),
                                    [](const PhasePair& p) { return p.mic == "bottom"; });
    ASSERT_NE(found, pairs.end());
    EXPECT_NEAR(found->delaySamples, 37.0, 1.0);
    EXPECT_EQ(found->polarity, -1);
    EXPECT_GT(found->coherence, 0.9);
}

TEST(Tone, FundamentalsRingsAndDecaysAreTheTrueOnes) {
    for (const World world : worlds()) {
        const bool ours = world == World::simulated;
        int notes = 0, exact = 0, rings = 0, found = 0, wrong = 0, decays = 0, near = 0;
        for (int n = 0; n < (test::allKits() ? 12 : 3); ++n) {
            const test::WorldKit kit =
                test::worldKitWithTone(world, Half::judged, n, demo::MicSet::full);
            const test::TruthKit& truth = *kit.truth;
            std::vector<bool> seen(kit.rings.size(), false);
            const KitStrokes strokes = measureStrokes(truth.kit());
            const BleedModel apart = measureBleedModel(truth.kit(), strokes.strokes);
            for (const DrumTone& tone : measureTone(truth.kit(), strokes, &apart)) {
                const auto drum = static_cast<std::size_t>(
                    std::find(test::kDrumIds.begin(), test::kDrumIds.end(), tone.drum) -
                    test::kDrumIds.begin());
                if (drum >= kit.tone.size() || kit.tone[drum].fundamental <= 0.0) continue;
                const test::DrumTruth& is = kit.tone[drum];
                const double hertz = is.fundamental;
                ++notes;
                const double allowed = ours ? std::max(1.0, 0.01 * hertz) : 0.02 * hertz;
                exact += std::abs(tone.fundamental - hertz) <= allowed ? 1 : 0;
                if (is.t60 > 0.0) {
                    ++decays;
                    near += std::abs(tone.decayT60 / is.t60 - 1.0) <= (ours ? 0.1 : 0.15) ? 1 : 0;
                }
                for (const Ring& ring : tone.rings) {
                    // What the drum itself has is no false ring, though nobody put it there.
                    bool right = std::any_of(
                        is.resonances.begin(), is.resonances.end(),
                        [&](double f) { return std::abs(ring.hertz / f - 1.0) < 0.01; });
                    for (std::size_t r = 0; r < kit.rings.size(); ++r) {
                        if (static_cast<std::size_t>(kit.rings[r].drum) != drum ||
                            std::abs(ring.hertz / kit.rings[r].hertz - 1.0) >= 0.01)
                            continue;
                        right = true;
                        seen[r] = true;
                    }
                    wrong += right ? 0 : 1;
                }
            }
            rings += static_cast<int>(seen.size());
            found += static_cast<int>(std::count(seen.begin(), seen.end(), true));
        }
        const std::string where = std::string(", ") + test::nameOf(world);
        test::accuracy("tone: fundamental within 1 % (recorded: 2 %)" + where, ">= 97 %",
                       percent(exact, notes), "%", percent(exact, notes) >= 97.0);
        test::accuracy("tone: rings found within 1 %" + where, ">= 95 %", percent(found, rings),
                       "%", percent(found, rings) >= 95.0);
        test::accuracy("tone: false rings" + where, "<= 10 %", percent(wrong, wrong + found), "%",
                       wrong * 10 <= wrong + found);
        test::accuracy("tone: decay within 10 % (recorded: 15 %)" + where, ">= 90 %",
                       percent(near, decays), "%", percent(near, decays) >= 90.0);
        EXPECT_GE(percent(exact, notes), ours ? 75.0 : 70.0);
        EXPECT_GE(percent(found, rings), ours ? 90.0 : 25.0);
        EXPECT_LE(percent(wrong, wrong + found), 34.0);
        EXPECT_GE(percent(near, decays), ours ? 30.0 : 0.0);
    }
}

TEST(Bleed, LevelsAreThoseOfTheSimulation) {
    const test::TruthKit truth(test::variedKit(301, demo::MicSet::full, 40.0));
    const KitStrokes strokes = measureStrokes(truth.kit());
    for (const BleedLevel& b : measureBleed(truth.kit(), strokes)) {
        // Cymbals and hats differ too much from stroke to stroke for that.
        if (isMetal(b.drum) || b.strokes < 4) continue;
        for (std::size_t m = 0; m < truth.recording().mics.size(); ++m) {
            if (truth.recording().mics[m].id != b.mic) continue;
            const auto drum = static_cast<std::size_t>(
                std::find(test::kDrumIds.begin(), test::kDrumIds.end(), b.drum) -
                test::kDrumIds.begin());
            // The truth is the loudest sample, ours a median: they lie within a few dB unless
            // others play along.
            const double is = truth.recording().drumInMic[drum][m].levelDb;
            if (b.relativeDb > -6.0) {
                EXPECT_NEAR(b.peakDb, is, 6.0) << b.drum << " in " << b.mic;
            }
        }
    }
}

}  // namespace
}  // namespace ember
