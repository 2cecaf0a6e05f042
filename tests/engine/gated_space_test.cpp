// A space that ends on a note value behind each stroke, at several tempi, keyed by strokes or by
// the dry drum's level.
#include "core/advise/ready_bus.h"
#include "core/engine/render.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <cmath>

namespace ember {
namespace {

constexpr double kSpaceRate = 48000.0;

// Clicks of a snare on every half note, sent to the ready bus and heard through it alone.
struct Clicks {
    test::TempFolder folder;
    std::vector<double> times;
    Session session;
    double length = 0.0;  // seconds after which it shall end

    explicit Clicks(double bpm) {
        std::vector<float> signal(static_cast<std::size_t>(6.0 * kSpaceRate));
        for (double t = 0.5; t < 5.0; t += 120.0 / bpm) {
            times.push_back(t);
            signal[static_cast<std::size_t>(std::lround(t * kSpaceRate))] = 0.9F;
        }
        test::writeMono(folder / "snare.wav", signal);
        session = test::oneElement(folder / "snare.wav");
        session.time = steadyTime(bpm);
        session = withRole(std::move(session), "one", Role::snareTop);
        session = withDrums(std::move(session));
        std::vector<Stroke> strokes;
        for (const double t : times) {
            Stroke s;
            s.time = t;
            s.drum = findRow(session, "one")->drum;
            s.mic = "one";
            s.velocity = 0.9;
            strokes.push_back(s);
        }
        session.strokes = Shared(strokes);
        session = withReadyBus(std::move(session), "burst");
        session = withValue(std::move(session), "burst", "seat", "level", 0.0);
        Send send = *findSend(*findRow(session, "one"), "burst");
        send.before = true;
        session = withSend(std::move(session), "one", send);
        session = withValue(std::move(session), "one", "seat", "level", -90.0);
        length = noteMilliseconds("1/8", bpm) / 1000.0;
    }
};

// When the gate begins to close behind each stroke: where its output falls under what the open
// space gives.
void expectEndsOnTheNote(const Clicks& clicks, const Session& gated) {
    const AudioBuffer shut = renderMix(gated, test::sharedStore(), {}),
                      open = renderMix(withStageOn(gated, "burst", "gate", false),
                                       test::sharedStore(), {});
    for (std::size_t n = 0; n + 1 < clicks.times.size(); ++n) {
        const auto power = [&](const AudioBuffer& audio, std::size_t from, std::size_t frames) {
            double sum = 1e-15;
            for (std::size_t i = from; i < from + frames; ++i)
                sum += std::pow(static_cast<double>(audio.channels[0][i]), 2.0);
            return sum;
        };
        const auto at = [&](double seconds) {
            return static_cast<std::size_t>(std::lround((clicks.times[n] + seconds) * kSpaceRate));
        };
        // Well before its end it is the open space, and half a note later nothing is left.
        EXPECT_NEAR(10.0 * std::log10(power(shut, at(clicks.length - 0.03), 960) /
                                      power(open, at(clicks.length - 0.03), 960)),
                    0.0, 0.01);
        EXPECT_LT(10.0 * std::log10(power(shut, at(clicks.length + 0.02), 960) /
                                    power(open, at(clicks.length + 0.02), 960)),
                  -60.0);
        double closes = 0.0;
        for (double t = clicks.length - 0.02; t < clicks.length + 0.02; t += 0.000125) {
            const double gain = std::sqrt(power(shut, at(t), 24) / power(open, at(t), 24));
            if (gain >= 0.995) continue;
            closes = t + 0.00025;
            break;
        }
        EXPECT_NEAR(closes, clicks.length, 0.001);
    }
}

TEST(GatedSpace, EndsOnTheNoteValueBehindEachStroke) {
    for (const double bpm : {84.0, 120.0, 171.0}) {
        const Clicks clicks(bpm);
        expectEndsOnTheNote(clicks, clicks.session);
    }
}

TEST(GatedSpace, EndsOnTheNoteValueBehindTheDryDrumsLevel) {
    for (const double bpm : {84.0, 120.0, 171.0}) {
        const Clicks clicks(bpm);
        Session s = withValue(clicks.session, "burst", "gate", "key-source", 0.0);
        s = withValue(std::move(s), "burst", "gate", "threshold", -20.0);
        s = withValue(std::move(s), "burst", "gate", "look-ahead", 0.0);
        s = withValue(std::move(s), "burst", "gate", "hold", 1000.0 * clicks.length);
        expectEndsOnTheNote(clicks, s);
    }
}

}  // namespace
}  // namespace ember
