#include "core/base/units.h"
#include "core/measure/kit/tempo.h"
#include "core/measure/level/level_peaks.h"
#include "core/measure/level/loudness.h"
#include "core/measure/level/press.h"
#include "core/measure/sound/spectrum.h"
#include "core/measure/who/file_name.h"
#include "demo/kit.h"
#include "tests/support/accuracy.h"
#include "tests/support/kit_truth.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

// A stereo sine of these levels (dBFS, seconds), as EBU Tech 3341 synthesises its signals.
Loudness loudnessOf(const std::vector<std::pair<double, double>>& parts, double hertz = 1000.0,
                    double rate = 48000.0) {
    LoudnessMeter meter(2, rate);
    for (const auto& [db, seconds] : parts) {
        const auto tone =
            test::sine(hertz, gainFromDb(db), static_cast<std::size_t>(seconds * rate), rate);
        std::vector<float> both;
        for (const float x : tone) both.insert(both.end(), {x, x});
        meter.add(both);
    }
    return meter.result();
}

TEST(Loudness, MeetsTheSynthesisedSignalsOfEbuTech3341) {
    EXPECT_NEAR(loudnessOf({{-23.0, 20.0}}).integrated, -23.0, 0.1);  // case 1
    EXPECT_NEAR(loudnessOf({{-33.0, 20.0}}).integrated, -33.0, 0.1);  // case 2
    EXPECT_NEAR(loudnessOf({{-36.0, 10.0}, {-23.0, 60.0}, {-36.0, 10.0}}).integrated, -23.0,
                0.1);  // case 3
    EXPECT_NEAR(
        loudnessOf({{-72.0, 10.0}, {-36.0, 10.0}, {-23.0, 60.0}, {-36.0, 10.0}, {-72.0, 10.0}})
            .integrated,
        -23.0, 0.1);  // case 4
    EXPECT_NEAR(loudnessOf({{-26.0, 20.0}, {-20.0, 20.1}, {-26.0, 20.0}}).integrated, -23.0,
                0.1);  // case 5
}

TEST(Loudness, ShortTermMaximumIsThatOfTheLoudestThreeSeconds) {
    EXPECT_NEAR(loudnessOf({{-40.0, 8.0}, {-20.0, 3.0}, {-40.0, 8.0}}).maxShortTerm, -20.0, 0.1);
    EXPECT_NEAR(loudnessOf({{-40.0, 8.0}, {-20.0, 1.5}, {-40.0, 8.0}}).maxShortTerm, -23.0, 0.15);
}

TEST(Loudness, TruePeakLooksBetweenTheSamples) {
    // A quarter of the rate, sampled 45 degrees off its peaks: 3 dB more than any sample (Tech
    // 3341, case 15 ff.).
    LoudnessMeter meter(1, 48000.0);
    std::vector<float> tone;
    for (int i = 0; i < 48000; ++i)
        tone.push_back(0.5F * (i % 4 < 2 ? 1.0F : -1.0F) * static_cast<float>(std::sqrt(0.5)));
    meter.add(tone);
    EXPECT_NEAR(meter.result().truePeak, -6.0, 0.4);
    EXPECT_NEAR(meter.result().samplePeak, -9.03, 0.01);
}

TEST(Spectrum, PutsAFullScaleSineAtZeroInItsBand) {
    SpectrumMeter meter(48000.0);
    meter.add(test::sine(1000.0, 1.0, 96000, 48000.0));
    const Spectrum s = meter.result(3);
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        if (s.frequency[i] > 900.0 && s.frequency[i] < 1100.0) {
            EXPECT_NEAR(s.level[i], 0.0, 0.5);
        } else if (s.frequency[i] < 600.0 || s.frequency[i] > 1700.0) {
            EXPECT_LT(s.level[i], -50.0) << s.frequency[i];
        }
    }
}

TEST(LevelPeaks, FindStrokesAndNotTheWavesOfALowNote) {
    // Strokes of a 50 Hz drum every 0.4 s, one softer grace 60 ms before every second one.
    std::vector<float> peaks(7500, 1e-5F);
    const double block = 64.0 / 48000.0;
    std::vector<double> times;
    for (int n = 1; n < 20; ++n) {
        times.push_back(n * 0.4);
        if (n % 2 == 0) times.push_back(n * 0.4 - 0.06);
    }
    for (const double t : times) {
        const double level = std::abs(std::remainder(t, 0.4)) < 0.01 ? 0.5 : 0.05;
        for (int i = 0; i < 200; ++i) {
            const auto at = static_cast<std::size_t>(t / block) + static_cast<std::size_t>(i);
            const double wave = std::abs(std::sin(2.0 * 3.14159265 * 50.0 * i * block)) *
                                std::exp(-i * block / 0.07);
            if (at < peaks.size())
                peaks[at] = std::max(
                    peaks[at],
                    static_cast<float>(level * std::max(wave, 0.2 * std::exp(-i * block / 0.07))));
        }
    }
    const auto found = levelPeaks(peaks, block);
    int hit = 0;
    for (const double t : times) {
        for (const LevelPeak& p : found) hit += std::abs(p.block * block - t) < 0.015 ? 1 : 0;
    }
    EXPECT_EQ(hit, static_cast<int>(times.size()));
    EXPECT_LE(found.size(), times.size() + 1);
}

TEST(Recognition, ReadsTheNamesEngineersGive) {
    const std::vector<std::pair<const char*, Role>> names{{"Kick In", Role::kickIn},
                                                          {"kick_out", Role::kickOut},
                                                          {"BD Sub", Role::kickOut},
                                                          {"01-Kick", Role::kick},
                                                          {"Bass Drum In", Role::kickIn},
                                                          {"KickIn 02", Role::kickIn},
                                                          {"Snare Top", Role::snareTop},
                                                          {"SN Btm", Role::snareBottom},
                                                          {"sd under", Role::snareBottom},
                                                          {"Snare", Role::snare},
                                                          {"SnareTop", Role::snareTop},
                                                          {"HH", Role::hat},
                                                          {"Hi-Hat", Role::hat},
                                                          {"hihat close", Role::hat},
                                                          {"Rack Tom", Role::rackTom},
                                                          {"Floor Tom", Role::floorTom},
                                                          {"Tom 1", Role::tom},
                                                          {"Tom Low", Role::floorTom},
                                                          {"Ride", Role::ride},
                                                          {"Crash L", Role::crash},
                                                          {"OH L", Role::overhead},
                                                          {"Overheads", Role::overhead},
                                                          {"Room R", Role::room},
                                                          {"amb far", Role::room},
                                                          {"Clap", Role::percussion},
                                                          {"Shaker", Role::percussion},
                                                          {"Drum Loop 90", Role::loop},
                                                          {"Bass DI", Role::bass},
                                                          {"Reference", Role::reference},
                                                          {"old mixdown", Role::reference},
                                                          {"Audio 14", Role::unknown},
                                                          {"take", Role::unknown},
                                                          {"", Role::unknown},
                                                          {"innuendo", Role::unknown}};
    for (const auto& [name, role] : names)
        EXPECT_EQ(toString(readFileName(name).role), toString(role)) << name;
    EXPECT_EQ(readFileName("OH_L").side, 0);
    EXPECT_EQ(readFileName("OH_L").readable, "Overhead");
    EXPECT_EQ(readFileName("Overhead Right").side, 1);
    EXPECT_EQ(readFileName("Kick In").side, -1);
    EXPECT_EQ(readFileName("Bass DI").kind, RowKind::guest);
    EXPECT_EQ(readFileName("Lead Vocal").kind, RowKind::guest);
}

TEST(Tempo, IsFoundOrItsHalfOrDouble) {
    for (const double bpm : {84.0, 104.0, 141.5}) {
        demo::KitOptions options;
        options.seconds = 30.0;
        options.tempo = bpm;
        options.mics = demo::MicSet::reduced;
        options.guests = false;
        options.seed = static_cast<std::uint64_t>(bpm);
        const demo::Recording recording = demo::record(options);
        const test::TempFolder folder;
        std::vector<std::shared_ptr<const Clip>> clips;
        for (const auto& file : demo::writeRecording(recording, folder.path()))
            clips.push_back(test::sharedStore().open(file, 48000));
        const double found = measureTempo(clips).bpm;
        // Half and double are offered to the person, not errors of measurement.
        double nearest = 1e9;
        for (const double factor : {0.5, 1.0, 2.0})
            nearest = std::min(nearest, std::abs(found - bpm * factor) / factor);
        test::accuracy("tempo at intake (half and double allowed)", "<= 0.35 BPM", nearest, "BPM",
                       nearest < 0.35);
        EXPECT_LT(nearest, 0.35) << bpm << ": " << found;
    }
}

// Strokes that fall by `db` in 30 ms, each of another level, as peaks by blocks of 1 ms.
std::vector<float> strokesBy(double db, const std::vector<double>& levels) {
    std::vector<float> out(500 * levels.size(), 1e-5F);
    for (std::size_t n = 0; n < levels.size(); ++n) {
        for (std::size_t b = 0; b < 300; ++b)
            out[500 * n + b] = static_cast<float>(gainFromDb(levels[n] - (b < 30 ? 0.0 : db)));
    }
    return out;
}

TEST(Press, TellsLostPunchAndAFlatPattern) {
    const std::vector<double> loud{-6.0, -12.0, -6.0, -15.0, -7.0, -13.0, -6.0, -14.0},
        even{-9.0, -10.0, -9.0, -10.0, -9.0, -10.0, -9.0, -10.0};
    std::vector<double> times;
    for (std::size_t n = 0; n < loud.size(); ++n) times.push_back(0.5 * static_cast<double>(n));
    const auto press = [&](const std::vector<float>& after) {
        return measurePress(strokesBy(12.0, loud), after, 0.001, times);
    };
    const Press same = press(strokesBy(12.0, loud));
    EXPECT_EQ(same.strokes, 8);
    EXPECT_DOUBLE_EQ(same.punchBefore, same.punchAfter);
    EXPECT_EQ(pressWarning(same), "");
    const Press dull = press(strokesBy(6.0, loud));
    EXPECT_NEAR(dull.punchBefore - dull.punchAfter, 6.0, 0.01);
    EXPECT_NE(pressWarning(dull).find("Punch falls by 6.0 dB"), std::string::npos);
    EXPECT_EQ(pressWarning(dull).find("pattern"), std::string::npos);
    const Press flat = press(strokesBy(12.0, even));
    EXPECT_NE(pressWarning(flat).find("pattern"), std::string::npos);
    // A few strokes tell nothing.
    EXPECT_EQ(pressWarning(measurePress(strokesBy(12.0, loud), strokesBy(2.0, loud), 0.001,
                                        std::span(times).first(4))),
              "");
    EXPECT_EQ(measurePress({}, {}, 0.001, {}).strokes, 0);
}

}  // namespace
}  // namespace ember
