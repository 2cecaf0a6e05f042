// What is done to a drum's own sound: strokes towards one another, and its room.
#include "core/measure/separate/own_sound.h"

#include "core/dsp/bleed.h"
#include "core/engine/render.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/separate/stage_gains.h"
#include "core/session/bleed.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace ember {
namespace {

using test::sharedStore;

constexpr std::size_t kStrokes = 40;

// A tom and a snare in the tom's microphone and in one that stands in the room. What either hears
// of them falls by `ringDb` a window directly, and by 0.6 dB as room, which both hear alike.
struct MadeModel {
    BleedModel model;
    std::vector<double> velocities;
    static constexpr double kRoomDb = -24.0, kRoomFall = 0.6;

    explicit MadeModel(double unevenDb = 0.0, double darkerDb = 0.0) {
        model.grid = bandGrid(48000.0, 48000 * 60);
        model.drums = {"tom", "snare"};
        model.channels = {{"tom", 0}, {"room", 0}};
        model.length = 84;
        const auto bands = static_cast<std::size_t>(model.grid.bands());
        for (int drum = 0; drum < 2; ++drum) {
            for (int channel = 0; channel < 2; ++channel) {
                for (int l = 0; l < model.length; ++l) {
                    for (std::size_t b = 0; b < bands; ++b)
                        model.pictures.push_back(
                            logPower(static_cast<float>(direct(drum, channel, l) + room(l))));
                }
            }
        }
        for (int h = 0; h < static_cast<int>(kStrokes); ++h) {
            model.hits.push_back({0, 100 + 120 * h});
            velocities.push_back(0.2 + 0.8 * (h % 10) / 9.0);
            for (std::size_t b = 0; b < bands; ++b) {
                double db = 20.0 * std::log10(velocities.back());
                // Soft ones have less at the top; every fourth one more in one band.
                if (b > bands / 2) db -= darkerDb * (1.0 - velocities.back());
                if (b == 20 && h % 4 == 0) db += unevenDb;
                model.levels.push_back(logPower(static_cast<float>(std::pow(10.0, 0.1 * db))));
            }
        }
        model.moved.assign(2 * static_cast<std::size_t>(model.grid.windows) * bands,
                           logPower(1.0F));
        model.beside.assign(model.moved.size(), 0);
    }
    // Every fourth stroke rings on in a band, from a while after it was struck.
    void ring(std::size_t band, double db) {
        const auto bands = static_cast<std::size_t>(model.grid.bands());
        for (std::size_t h = 0; h < kStrokes; h += 4) {
            for (std::size_t place = 10; place < 50; ++place)
                model.moved[(static_cast<std::size_t>(model.hits[h].window) + place) * bands +
                            band] = logPower(static_cast<float>(std::pow(10.0, 0.1 * db)));
        }
    }
    [[nodiscard]] static double direct(int drum, int channel, int place) {
        const double near = channel == 0 ? (drum == 0 ? 0.0 : -30.0) : -20.0;
        return std::pow(10.0, 0.1 * (near - 3.0 * place));
    }
    [[nodiscard]] static double room(int place) {
        return std::pow(10.0, 0.1 * (kRoomDb - kRoomFall * place));
    }
    // What a stroke gives in a band so many windows on, against its picture.
    [[nodiscard]] double levelDb(std::size_t hit, std::size_t band, const OwnSound& own,
                                 std::size_t place = 1) const {
        const auto bands = static_cast<std::size_t>(model.grid.bands());
        const std::size_t window = static_cast<std::size_t>(model.hits[hit].window) + place;
        return 10.0 * std::log10(
                          static_cast<double>(fromLogPower(model.levels[hit * bands + band]) *
                                              fromLogPower(model.moved[window * bands + band]))) +
               20.0 * std::log10(static_cast<double>(own.at(window, band)));
    }
};

TEST(OwnSound, StrokesAreEvenedOutAndStayAsLoud) {
    const MadeModel made(9.0);
    const OwnSound none(made.model, 0, 0, {}, {1}), even(made.model, 0, 0, {1.0, 0.0, 1.0}, {1}),
        half(made.model, 0, 0, {0.5, 0.0, 1.0}, {1});
    const auto bands = static_cast<std::size_t>(made.model.grid.bands());
    for (std::size_t h = 0; h < kStrokes; ++h) {
        double was = 0.0, is = 0.0;
        for (std::size_t place = 0; place < 84; ++place) {
            for (std::size_t b = 0; b < bands; ++b) {
                const double picture = MadeModel::direct(0, 0, static_cast<int>(place)) +
                                       MadeModel::room(static_cast<int>(place));
                was += picture * std::pow(10.0, 0.1 * made.levelDb(h, b, none, place));
                is += picture * std::pow(10.0, 0.1 * made.levelDb(h, b, even, place));
            }
        }
        EXPECT_NEAR(10.0 * std::log10(is / was), 0.0, 0.01) << h;
        // The odd band comes to what its neighbours are, on those strokes and on no others.
        EXPECT_NEAR(made.levelDb(h, 20, even) - made.levelDb(h, 21, even), 0.0, 0.2) << h;
        EXPECT_NEAR(made.levelDb(h, 20, half) - made.levelDb(h, 21, half), h % 4 == 0 ? 4.5 : 0.0,
                    0.1);
    }
}

TEST(OwnSound, WhatRingsOnBehindSomeStrokesGoesThere) {
    MadeModel made;
    made.ring(20, 9.0);
    const OwnSound even(made.model, 0, 0, {1.0, 0.0, 1.0}, {1});
    for (std::size_t h = 0; h < kStrokes; ++h) {
        EXPECT_NEAR(made.levelDb(h, 20, even, 5) - made.levelDb(h, 21, even, 5), 0.0, 0.1) << h;
        EXPECT_NEAR(made.levelDb(h, 20, even, 30) - made.levelDb(h, 21, even, 30), 0.0, 0.1) << h;
    }
    // By no more than 12 dB.
    made.ring(20, 30.0);
    const OwnSound most(made.model, 0, 0, {1.0, 0.0, 1.0}, {1});
    EXPECT_NEAR(made.levelDb(0, 20, most, 30) - made.levelDb(0, 21, most, 30), 18.0, 0.3);
}

TEST(OwnSound, SoftStrokesGetTheBalanceOfHardOnes) {
    const MadeModel made(0.0, 10.0);
    const OwnSound none(made.model, 0, 0, {}, {}), crisp(made.model, 0, 0, {0.0, 1.0, 1.0}, {});
    const std::size_t low = 5, high = static_cast<std::size_t>(made.model.grid.bands()) - 3;
    const auto tilt = [&](std::size_t hit, const OwnSound& own) {
        return made.levelDb(hit, high, own) - made.levelDb(hit, low, own);
    };
    for (std::size_t h = 0; h < kStrokes; ++h) {
        if (h % 10 == 0) {
            EXPECT_NEAR(tilt(h, none), -8.0, 0.1);
            EXPECT_GT(tilt(h, crisp), -2.5);
        }
        if (h % 10 == 9) {
            EXPECT_NEAR(tilt(h, crisp), tilt(h, none), 1.5) << "hard ones stay";
        }
    }
    // Nothing is usual of a handful.
    MadeModel few(9.0, 10.0);
    few.model.hits.resize(5);
    const OwnSound kept(few.model, 0, 0, {1.0, 1.0, 1.0}, {});
    EXPECT_EQ(kept.at(101, 20), 1.0F);
}

TEST(OwnSound, TheRoomIsToldByWhatOthersGiveTheMicrophone) {
    const MadeModel made;
    const std::vector<float> share = roomShare(made.model, 0, 0, {1});
    const auto bands = static_cast<std::size_t>(made.model.grid.bands());
    for (const int place : {0, 4, 8, 12, 16, 30}) {
        const double room = MadeModel::room(place),
                     true_ = room / (room + MadeModel::direct(0, 0, place));
        EXPECT_NEAR(static_cast<double>(share[static_cast<std::size_t>(place) * bands + 10]), true_,
                    0.05)
            << place;
    }
    // With nobody in the room, or nobody else who plays, none is told apart.
    for (const std::vector<int>& far : {std::vector<int>{}, std::vector<int>{0}}) {
        const std::vector<float> nothing = roomShare(made.model, 0, 0, far);
        EXPECT_EQ(*std::max_element(nothing.begin(), nothing.end()), 0.0F);
    }
    const OwnSound dry(made.model, 0, 0, {0.0, 0.0, 0.0}, {1});
    EXPECT_GT(dry.roomAt(0, 10), 0.98F);
    EXPECT_LT(dry.roomAt(30, 10), 0.05F);
    EXPECT_EQ(dry.at(130, 10), 1.0F);
}

TEST(OwnSound, WhereItCanDoNothingThatIsSaid) {
    MadeModel made;
    Session s = test::shortSession();
    Row& row = requireRow(s, "rack-tom");
    made.model.drums = {row.drum, "snare"};
    made.model.channels = {{"rack-tom", 0}, {"room", 0}};
    s = withBleed(s, "rack-tom", std::string(32, 'b'));
    const auto said = [&](const char* parameter, double value) {
        const Session asked = withValue(s, "rack-tom", "bleed", parameter, value);
        const Row& tom = *findRow(asked, "rack-tom");
        return shapeProblem(made.model, asked, tom, *findBleed(tom));
    };
    EXPECT_EQ(said("even", 0.0), "");
    EXPECT_EQ(said("even", 50.0), "");
    EXPECT_EQ(said("room", -12.0), "");
    made.model.hits.resize(kUsualStrokes - 1);
    EXPECT_NE(said("even", 50.0).find("Fewer than 12 strokes"), std::string::npos);
    EXPECT_NE(said("crisp", 50.0), "");
    EXPECT_EQ(said("room", -12.0), "") << "the room is told by others";
    made.model.channels.pop_back();
    EXPECT_NE(said("room", -12.0).find("cannot be told apart"), std::string::npos);
    made.model.drums[0] = "kick";
    EXPECT_NE(said("even", 50.0).find("nothing to shape"), std::string::npos);
}

// The short demo session with a note of a kilohertz, as a ring would be, behind every third of the
// snare's strokes.
struct RingingSnare {
    test::TempFolder folder;
    Session session = test::shortSession();
    std::vector<double> ringing, others;
    double rate = 48000.0;

    RingingSnare() {
        Row& snare = *findRow(session, "snare-top");
        AudioBuffer audio = readAudio(snare.sources[0].file);
        rate = audio.sampleRate;
        std::vector<Stroke> strokes;
        for (const Stroke& s : measureSessionStrokes(session, sharedStore()).strokes) {
            if (s.drum == "snare" && s.kind != StrokeKind::ghost) strokes.push_back(s);
        }
        int turn = 0;
        for (const Stroke& s : strokes) {
            if (turn++ % 3 != 0) {
                others.push_back(s.time);
                continue;
            }
            ringing.push_back(s.time);
            const auto at = static_cast<std::size_t>(s.time * rate);
            for (std::size_t i = at; i < std::min(audio.frames(), at + 20000); ++i) {
                const double t = static_cast<double>(i - at) / rate;
                audio.channels[0][i] +=
                    static_cast<float>(0.05 * s.velocity * std::exp(-t / 0.09) *
                                       std::sin(2.0 * std::numbers::pi * 1000.0 * t));
            }
        }
        const auto file = folder / "ringing.wav";
        test::writeMono(file, audio.channels[0], rate);
        snare.sources[0].file = file.string();
        snare.sources[0].hash.clear();
    }
    // Energy about the ring from 50 to 150 ms behind strokes, dB, by stroke.
    [[nodiscard]] static std::vector<double> ringAt(const AudioBuffer& audio,
                                                    const std::vector<double>& times) {
        std::vector<double> out;
        for (const double time : times) {
            double re = 0.0, im = 0.0;
            const auto from = static_cast<std::size_t>((time + 0.05) * audio.sampleRate),
                       to = static_cast<std::size_t>((time + 0.15) * audio.sampleRate);
            for (std::size_t i = from; i < std::min(to, audio.frames()); ++i) {
                const double x = static_cast<double>(audio.channels[0][i]),
                             p = 2.0 * std::numbers::pi * 1000.0 * static_cast<double>(i) /
                                 audio.sampleRate,
                             w = std::sin(std::numbers::pi * static_cast<double>(i - from) /
                                          static_cast<double>(to - from));
                re += w * x * std::cos(p);
                im += w * x * std::sin(p);
            }
            out.push_back(10.0 * std::log10(re * re + im * im + 1e-12));
        }
        return out;
    }
};

TEST(OwnSound, ARingOnSomeStrokesGoesInAPlanAndTheOthersStay) {
    RingingSnare kit;
    Session s = withBleed(kit.session, "snare-top", takeApart(kit.session, sharedStore()));
    const auto played = [&](double even) {
        return renderRow(withValue(s, "snare-top", "bleed", "even", even), sharedStore(),
                         "snare-top", {});
    };
    const AudioBuffer before = played(0.0), after = played(100.0);
    ASSERT_GE(kit.ringing.size(), 4U);
    const auto change = [&](const std::vector<double>& times) {
        const std::vector<double> was = RingingSnare::ringAt(before, times),
                                  is = RingingSnare::ringAt(after, times);
        std::vector<double> out;
        for (std::size_t i = 0; i < was.size(); ++i) out.push_back(is[i] - was[i]);
        std::sort(out.begin(), out.end());
        return out[out.size() / 2];
    };
    EXPECT_LT(change(kit.ringing), -4.0);
    EXPECT_NEAR(change(kit.others), 0.0, 2.5);
    // As it was: the recording bit for bit.
    EXPECT_EQ(before, renderRow(kit.session, sharedStore(), "snare-top", {}));
}

}  // namespace
}  // namespace ember
