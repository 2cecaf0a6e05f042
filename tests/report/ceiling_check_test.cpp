// A line of one's own over a spectrum: levels read right, crossings counted and named.
#include "core/report/ceiling_check.h"

#include "core/base/error.h"
#include "core/session/ceiling.h"
#include "core/session/file.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::TempFolder;

constexpr double kLong = 8.0;

// Pink noise (a third of an octave holds as much as the next), and a tone that comes twice.
struct NoiseAndTone {
    TempFolder folder;
    Session session;

    NoiseAndTone() {
        const auto frames = static_cast<std::size_t>(kLong * 48000.0);
        std::vector<float> pink = test::noise(0.3, frames, 11);
        // Poles and zeros an octave and a half apart.
        double rows[5] = {};
        const double poles[5] = {0.99886, 0.99332, 0.96900, 0.86650, 0.55000},
                     gains[5] = {0.0555179, 0.0750759, 0.1538520, 0.3104856, 0.5329522};
        for (float& x : pink) {
            double sum = 0.0;
            for (int k = 0; k < 5; ++k)
                sum += rows[k] = poles[k] * rows[k] + gains[k] * static_cast<double>(x);
            x = static_cast<float>(0.1 * sum);
        }
        std::vector<float> tone = test::sine(1000.0, 0.5, frames, 48000.0);
        for (std::size_t i = 0; i < frames; ++i) {
            const double t = static_cast<double>(i) / 48000.0;
            if (!((t > 2.0 && t < 3.0) || (t > 5.0 && t < 6.0))) tone[i] = 0.0F;
        }
        test::writeMono(folder / "noise.wav", pink);
        test::writeMono(folder / "tone.wav", tone);
        session = test::twoElements(folder / "noise.wav", folder / "tone.wav");
        Ceiling flat;
        flat.slopeDb = 0.0;
        flat.averageMs = 0.0;
        flat.points = {{20.0, -12.0}, {20000.0, -12.0}};
        session = withCeiling(std::move(session), flat);
    }
    [[nodiscard]] CeilingCheck found(const std::string& bus = "main") const {
        return checkCeiling(session, readSpectra(session, test::sharedStore(), bus, 0.0, kLong));
    }
};

std::size_t bandAt(const CeilingCheck& found, double hertz) {
    std::size_t best = 0;
    for (std::size_t b = 0; b < found.hertz.size(); ++b) {
        if (std::abs(std::log(found.hertz[b] / hertz)) <
            std::abs(std::log(found.hertz[best] / hertz)))
            best = b;
    }
    return best;
}

TEST(Ceiling, SaysWhatCrossesItWhenAndWhoseItIs) {
    const NoiseAndTone two;
    const CeilingCheck found = two.found();
    // A tone of half of full scale reads -6 dB in its band, whatever the window.
    EXPECT_NEAR(found.most[bandAt(found, 1000.0)], -6.0, 0.2);
    ASSERT_EQ(found.crossings.size(), 1U) << "and in no other";
    const Crossing& c = found.crossings[0];
    EXPECT_NEAR(c.hertz, 1000.0, 1.0);
    EXPECT_EQ(c.times, 2);
    EXPECT_NEAR(c.overDb, 6.0, 0.2);
    EXPECT_NEAR(c.share, 2.0 / kLong, 0.05);
    EXPECT_EQ(c.row, "two");
    EXPECT_GT(c.rowShare, 0.95);
    EXPECT_TRUE((c.at > 2.0 && c.at < 3.0) || (c.at > 5.0 && c.at < 6.0)) << c.at;
    const std::string said = ceilingText(two.session, found).at(0);
    EXPECT_NE(said.find("1 band crosses the line; furthest 1.0 kHz, by 6.0 dB"), std::string::npos)
        << said;
    // What the other bus gives crosses nothing.
    EXPECT_TRUE(two.found("left").crossings.empty());
}

TEST(Ceiling, WindowAverageAndSlopeAreWhatTheySay) {
    NoiseAndTone two;
    const double before = two.found().most[bandAt(two.found(), 8000.0)];
    two.session.ceiling->slopeDb = 3.0;
    EXPECT_NEAR(two.found().most[bandAt(two.found(), 8000.0)] - before, 9.0, 0.01);
    EXPECT_NEAR(two.found().most[bandAt(two.found(), 1000.0)], -6.0, 0.2) << "it turns there";
    two.session.ceiling->slopeDb = 0.0;
    // A tone of one second through an average of two reaches 1 - exp(-1/2) of its power, and what
    // is left of that three seconds later comes to the second one.
    two.session.ceiling->averageMs = 2000.0;
    const CeilingCheck slow = two.found();
    const double reached = (1.0 - std::exp(-0.5)) * (1.0 + std::exp(-1.5));
    EXPECT_NEAR(slow.most[bandAt(slow, 1000.0)], -6.0 + 10.0 * std::log10(reached), 0.3);
    two.session.ceiling->averageMs = 0.0;
    for (const double window : {40.0, 85.0, 340.0}) {
        two.session.ceiling->windowMs = window;
        EXPECT_NEAR(two.found().most[bandAt(two.found(), 1000.0)], -6.0, 0.3) << window;
    }
}

TEST(Ceiling, HearsWhatBuildsUpWhereTheEarIsSensitive) {
    NoiseAndTone two;
    const CeilingCheck even = two.found("left");
    EXPECT_NEAR(even.ear.usualDb, 0.0, 1.0) << "as much in every third";
    EXPECT_EQ(even.ear.row, "one");
    // The same noise with ten decibels more there.
    two.session = withValue(std::move(two.session), "one", "eq", "b1.on", 1.0);
    two.session = withValue(std::move(two.session), "one", "eq", "b1.shape", 0.0);
    two.session = withValue(std::move(two.session), "one", "eq", "b1.frequency", 3200.0);
    two.session = withValue(std::move(two.session), "one", "eq", "b1.gain", 10.0);
    two.session = withValue(std::move(two.session), "one", "eq", "b1.q", 0.8);
    const CeilingCheck raised = two.found("left");
    EXPECT_GT(raised.ear.usualDb, kEarBuildsUpDb);
    const auto said = ceilingText(two.session, raised);
    EXPECT_NE(said.back().find("it builds up there"), std::string::npos) << said.back();
    EXPECT_EQ(ceilingText(two.session, even).back().find("builds up"), std::string::npos);
}

TEST(Ceiling, IsDrawnOverWhatSoundsAndKeptWithTheSession) {
    NoiseAndTone two;
    const CeilingCheck found = two.found();
    Ceiling drawn = ceilingOver(found, *two.session.ceiling, 1.0);
    two.session = withCeiling(std::move(two.session), drawn);
    EXPECT_TRUE(two.found().crossings.empty());
    EXPECT_EQ(documentFromJson(toJson(Document(two.session)), "s").session(), two.session);
    two.session = withValue(std::move(two.session), "two", "seat", "level", 6.0);
    EXPECT_FALSE(two.found().crossings.empty());
    // Between points it is straight over the octaves.
    Ceiling line;
    line.points = {{100.0, -40.0}, {1600.0, -20.0}};
    EXPECT_NEAR(ceilingAt(line, 400.0), -30.0, 1e-9);
    EXPECT_EQ(ceilingAt(line, 30.0), -40.0);
    EXPECT_EQ(ceilingAt(line, 9000.0), -20.0);
    const auto refused = [&](const Ceiling& c) {
        return test::errorOf([&] { (void)withCeiling(two.session, c); });
    };
    EXPECT_NE(refused({}).find("2 to 16 points"), std::string::npos);
    line.points = {{1000.0, -40.0}, {100.0, -20.0}};
    EXPECT_NE(refused(line).find("from low to high"), std::string::npos);
    line.points = {{10.0, -40.0}, {100.0, -20.0}};
    EXPECT_NE(refused(line).find("from 20 to 20000"), std::string::npos);
    EXPECT_THROW((void)readSpectra(two.session, test::sharedStore(), "one", 0.0, 1.0), Error);
    EXPECT_NE(test::errorOf([&] {
                  (void)readSpectra(two.session, test::sharedStore(), "right", 0.0, 1.0);
              }).find("Nothing sounds"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
