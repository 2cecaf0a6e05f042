// Whether a bus's chain takes the strokes' fronts, and which step of it.
#include "core/report/punch_guard.h"

#include "core/base/error.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <cmath>

namespace ember {
namespace {

using test::TempFolder;

// A snare that is struck twice a second, in a bus whose compressor and equaliser are off.
struct StruckSnare {
    TempFolder folder;
    Session session;

    StruckSnare() {
        std::vector<float> sound = test::noise(0.7, 8 * 48000, 3);
        std::vector<Stroke> strokes;
        for (std::size_t i = 0; i < sound.size(); ++i) {
            const double t = static_cast<double>(i % 24000) / 48000.0;
            sound[i] *= static_cast<float>(0.8 * std::exp(-t / 0.01) + 0.2 * std::exp(-t / 0.12));
        }
        test::writeMono(folder / "snare.wav", sound);
        session = test::oneElement(folder / "snare.wav");
        session.rows[0].role = Role::snareTop;
        session = withDrums(std::move(session));
        session = withBusAdded(std::move(session), "Drums");
        session = withBus(std::move(session), session.rows[0].id, "drums");
        for (int n = 0; n < 16; ++n) {
            strokes.emplace_back();
            strokes.back().time = 0.5 * n;
            strokes.back().drum = session.rows[0].drum;
        }
        session.strokes = Shared(strokes);
    }
    void press() {
        for (const auto& [parameter, value] :
             {std::pair{"threshold", -40.0}, {"ratio", 8.0}, {"attack", 0.1}, {"release", 120.0}})
            session = withValue(std::move(session), "drums", "compressor", parameter, value);
    }
    [[nodiscard]] PunchGuard found(const std::string& bus = "drums") const {
        return punchGuard(session, test::sharedStore(), bus, 0.0, 8.0);
    }
};

TEST(PunchGuard, NamesTheStepThatTakesTheFront) {
    StruckSnare snare;
    PunchGuard found = snare.found();
    EXPECT_EQ(found.steps, 0);
    EXPECT_NE(punchGuardText(snare.session, found).at(0).find("No step of Drums is on"),
              std::string::npos);
    // A step that leaves strokes alone takes nothing.
    snare.session = withValue(std::move(snare.session), "drums", "eq", "b1.frequency", 5000.0);
    found = snare.found();
    EXPECT_EQ(found.steps, 1);
    ASSERT_EQ(found.drums.size(), 1U);
    EXPECT_NEAR(found.drums[0].after, found.drums[0].before, 0.05);
    EXPECT_TRUE(found.drums[0].stage.empty());
    snare.press();
    found = snare.found();
    ASSERT_EQ(found.drums.size(), 1U);
    EXPECT_EQ(found.drums[0].strokes, 16);
    EXPECT_GT(found.drums[0].before - found.drums[0].after, 3.0);
    EXPECT_EQ(found.drums[0].stage, "compressor");
    EXPECT_NEAR(found.drums[0].givesBack, found.drums[0].before - found.drums[0].after, 0.2);
    const std::string said = punchGuardText(snare.session, found).at(0);
    EXPECT_NE(said.find("Snare loses "), std::string::npos) << said;
    EXPECT_NE(said.find("without Compressor "), std::string::npos) << said;
    // A stretch from the middle on says the same.
    const PunchGuard later = punchGuard(snare.session, test::sharedStore(), "drums", 3.0, 8.0);
    EXPECT_EQ(later.drums.at(0).strokes, 10);
    EXPECT_NEAR(later.drums[0].before, found.drums[0].before, 0.2);
    EXPECT_NEAR(later.drums[0].after, found.drums[0].after, 0.2);
    // The main has done nothing.
    const PunchGuard main = snare.found("main");
    EXPECT_EQ(main.steps, 0);
    EXPECT_NEAR(main.drums.at(0).before, found.drums[0].after, 0.05);
}

TEST(PunchGuard, NeedsABusAndStrokes) {
    StruckSnare snare;
    EXPECT_NE(test::errorOf([&] { (void)snare.found(snare.session.rows[0].id); }).find("is no bus"),
              std::string::npos);
    EXPECT_THROW((void)snare.found("nothing"), Error);
    snare.session.strokes = {};
    EXPECT_NE(test::errorOf([&] { (void)snare.found(); }).find("struck often enough"),
              std::string::npos);
    StruckSnare other;
    const Progress stop = [](double, const std::string&) { return false; };
    EXPECT_THROW((void)punchGuard(other.session, test::sharedStore(), "drums", 0.0, 8.0, stop),
                 Cancelled);
}

}  // namespace
}  // namespace ember
