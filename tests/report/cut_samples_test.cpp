// One-shots cut out of a recording.
#include "core/report/cut_samples.h"

#include "core/audio/file.h"
#include "core/base/units.h"
#include "core/measure/separate/kept_models.h"
#include "tests/support/measured_kit.h"

#include <cmath>
#include <map>

namespace ember {
namespace {

namespace fs = std::filesystem;

const BleedModel& demoModel() {
    static const auto model = findBleedModel(
        test::sharedStore(), bleedModelFor(test::measuredKit().session, test::sharedStore()));
    return *model;
}

TEST(CutSamples, AreTheDrumsOwnStrokesSoftToHardWithoutTheOthers) {
    const test::MeasuredKit& kit = test::measuredKit();
    const test::TempFolder folder;
    const auto samples = cutSamples(kit.session, test::sharedStore(), kit.kit.strokes.strokes,
                                    demoModel(), "snare-top", folder / "cut", {4, 3, 1.0});
    ASSERT_EQ(samples.size(), 12U);
    double softer = 0.0;
    std::map<int, double> loudest;
    for (const CutSample& s : samples) {
        EXPECT_GE(s.velocity, softer - 0.35) << "steps follow velocity";
        softer = std::max(softer, s.velocity);
        const AudioBuffer audio = readAudio(s.file);
        EXPECT_NEAR(static_cast<double>(audio.frames()) / audio.sampleRate, s.seconds + 0.002,
                    0.002);
        EXPECT_LE(s.seconds, 1.0);
        EXPECT_GE(s.seconds, 0.12);
        // It begins and ends in silence, and the attack is right behind its beginning.
        EXPECT_EQ(audio.channels[0].front(), 0.0F);
        EXPECT_LT(std::abs(audio.channels[0].back()), 1e-3F);
        std::size_t peak = 0;
        for (std::size_t i = 0; i < audio.frames(); ++i) {
            if (std::abs(audio.channels[0][i]) > std::abs(audio.channels[0][peak])) peak = i;
        }
        EXPECT_LT(static_cast<double>(peak) / audio.sampleRate, 0.03) << s.file;
        loudest[s.step] =
            std::max(loudest[s.step], static_cast<double>(std::abs(audio.channels[0][peak])));
        // A hard one begins where its stroke was heard, kCutAhead behind the sample's beginning.
        if (s.step == 4) {
            std::size_t first = 0;
            while (std::abs(audio.channels[0][first]) < 0.05F * std::abs(audio.channels[0][peak]))
                ++first;
            EXPECT_NEAR(static_cast<double>(first) / audio.sampleRate, kCutAhead, 5e-4) << s.file;
        }
        // What stands there is a stroke of the snare.
        EXPECT_TRUE(std::any_of(kit.kit.strokes.strokes.begin(), kit.kit.strokes.strokes.end(),
                                [&](const Stroke& x) {
                                    return x.drum == "snare" && std::abs(x.time - s.time) < 1e-9;
                                }));
    }
    EXPECT_GT(dbFromGain(loudest[4]), dbFromGain(loudest[1]) + 6.0);
    // Nothing is written over.
    EXPECT_NE(test::errorOf([&] {
                  cutSamples(kit.session, test::sharedStore(), kit.kit.strokes.strokes, demoModel(),
                             "snare-top", folder / "cut");
              }).find("is there already"),
              std::string::npos);
    EXPECT_EQ(std::distance(fs::directory_iterator(folder / "cut"), fs::directory_iterator{}), 12);
}

TEST(CutSamples, RefusesWhatStandsAtNoDrumAndLeavesNothingWhenCancelled) {
    const test::MeasuredKit& kit = test::measuredKit();
    const test::TempFolder folder;
    const auto cut = [&](const std::string& row, const Progress& progress = {}) {
        return cutSamples(kit.session, test::sharedStore(), kit.kit.strokes.strokes, demoModel(),
                          row, folder / "none", {}, progress);
    };
    EXPECT_NE(test::errorOf([&] { cut("overhead"); }).find("close microphone"), std::string::npos);
    EXPECT_NE(test::errorOf([&] { cut("nobody"); }).find("nobody"), std::string::npos);
    EXPECT_THROW(cut("snare-top", [](double part, const std::string&) { return part < 0.7; }),
                 Cancelled);
    EXPECT_TRUE(!fs::exists(folder / "none") || fs::is_empty(folder / "none"));
    EXPECT_NE(test::errorOf([&] {
                  cutSamples(kit.session, test::sharedStore(), {}, demoModel(), "snare-top",
                             folder / "none");
              }).find("stands alone"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
