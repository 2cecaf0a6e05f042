// Grid, levels, sympathetic sounds, spots, and what is kept of them on disk: on signals whose
// answer is known by construction.

#include "core/measure/kit/timing.h"

#include "core/base/random.h"
#include "core/measure/kit/kit_cache.h"
#include "core/measure/kit/spots.h"
#include "core/measure/level/levels.h"
#include "core/measure/sound/sympathy.h"
#include "core/report/midi_write.h"
#include "core/session/midi_time.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <smf.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <map>
#include <numbers>

namespace ember {
namespace {

using test::TempFolder;

Stroke stroke(double time, const std::string& drum, StrokeKind kind = StrokeKind::accent) {
    return {time, drum, drum, kind == StrokeKind::ghost ? 0.2 : 0.9, 0.0, kind, 1.0, false};
}

// Kick on one and three, snare on two and four, hats on eighths that lie late by `hatLate`.
std::vector<Stroke> groove(double bpm, double start, int bars, double hatLate) {
    std::vector<Stroke> out;
    const double beat = 60.0 / bpm;
    for (int bar = 0; bar < bars; ++bar) {
        const double at = start + 4.0 * beat * bar;
        for (int e = 0; e < 8; ++e)
            out.push_back(stroke(at + 0.5 * e * beat + hatLate, "hihat", StrokeKind::normal));
        if (bar % 8 == 0) out.push_back(stroke(at, "cymbal"));
        out.push_back(stroke(at, "kick"));
        out.push_back(stroke(at + 2.0 * beat, "kick"));
        out.push_back(stroke(at + 2.5 * beat, "kick", StrokeKind::normal));
        out.push_back(stroke(at + beat, "snare"));
        out.push_back(stroke(at + 3.0 * beat, "snare"));
    }
    sortByTime(out);
    return out;
}

TEST(Timing, FindsTempoBarLineAndWhoIsLate) {
    for (const double bpm : {71.3, 97.77, 128.4, 181.9}) {
        const KitTiming t =
            measureTiming(groove(bpm, 0.83, 24, 0.006), steadyTime(std::round(bpm)));
        EXPECT_NEAR(t.bpm, bpm, 0.02);
        EXPECT_NEAR(t.firstBar, 0.83, 0.006) << bpm;
        EXPECT_GT(t.barConfidence, 0.3);
        EXPECT_GT(t.confidence, 0.95);
        std::map<std::string, double> late;
        for (const DrumTiming& d : t.drums) late[d.drum] = d.offsetMs;
        EXPECT_NEAR(late["hihat"] - late["kick"], 6.0, 0.2);
        const bool half = std::any_of(t.alternatives.begin(), t.alternatives.end(), [&](double v) {
            return std::abs(v - 0.5 * bpm) < 0.05 || std::abs(v - 2.0 * bpm) < 0.05;
        });
        EXPECT_TRUE(half);
    }
}

TEST(Timing, TellsADrummerWhoHurriesFromTheGrid) {
    std::vector<Stroke> strokes = groove(120.0, 1.0, 32, 0.0);
    for (Stroke& s : strokes) s.time += 0.004 * std::sin(s.time / 8.0);
    const KitTiming t = measureTiming(strokes, steadyTime(120.0));
    ASSERT_GT(t.drift.size(), 20U);
    for (const DriftPoint& d : t.drift)
        EXPECT_NEAR(d.offsetMs, 4.0 * std::sin(d.time / 8.0), 1.6) << d.time;
    EXPECT_EQ(measureTiming({strokes.begin(), strokes.begin() + 6}, steadyTime(120.0)).bpm, 0.0);
}

// The groove played by somebody who speeds up and slows down, with hands that stray.
struct Played {
    TimeMap time;
    std::vector<Stroke> strokes;
};
Played playedFreely(double bpm, double wander, int bars, unsigned seed, int beats = 4) {
    Random random(seed);
    Played out{steadyTime(bpm, 0.9, beats), {}};
    for (int bar = 1; bar < bars; ++bar) {
        const double curve = std::sin(2.0 * std::numbers::pi * bar / 23.0) +
                             0.5 * std::sin(2.0 * std::numbers::pi * bar / 7.0 + seed);
        out.time = withTempoFrom(std::move(out.time), bar, bpm * (1.0 + wander * curve / 1.5));
    }
    const auto strike = [&](int bar, double beat, const char* drum, StrokeKind kind) {
        out.strokes.push_back(
            stroke(secondsAt(out.time, BarPlace{bar, beat}) + 0.006 * random.normal(), drum, kind));
    };
    for (int bar = 0; bar < bars; ++bar) {
        for (int e = 0; e < 2 * beats; ++e) strike(bar, 0.5 * e, "hihat", StrokeKind::normal);
        strike(bar, 0.0, "kick", StrokeKind::accent);
        if (beats > 3) strike(bar, 2.5, "kick", StrokeKind::normal);
        for (int b = 1; b < beats; b += 2) strike(bar, b, "snare", StrokeKind::accent);
        if (bar % 3 == 1) strike(bar, 1.75, "snare", StrokeKind::ghost);
        if (bar % 8 == 0) strike(bar, 0.0, "cymbal", StrokeKind::accent);
    }
    sortByTime(out.strokes);
    return out;
}

TEST(Timing, FollowsADrummerWithoutAClick) {
    std::vector<double> off;
    int bars = 0;
    for (unsigned seed = 1; seed <= 12; ++seed) {
        const double bpm = 68.0 + 10.0 * seed;
        const Played played = playedFreely(bpm, 0.08, 60, seed, seed % 4 == 3 ? 3 : 4);
        TimeMap from = steadyTime(bpm * (seed % 2 == 0 ? 1.05 : 0.96));
        from.metres.front().beats = played.time.metres.front().beats;
        const TimeMap followed = followStrokes(played.strokes, from);
        for (int bar = 0; bar < 60; ++bar, ++bars)
            off.push_back(1e3 *
                          std::abs(secondsOfBar(followed, bar) - secondsOfBar(played.time, bar)));
    }
    std::sort(off.begin(), off.end());
    const double median = off[off.size() / 2], most = off[off.size() * 95 / 100];
    test::accuracy("time: bars of a drummer without a click, median", "<= 3 ms", median, "ms",
                   median <= 3.0);
    test::accuracy("time: the same, 95 % within", "<= 10 ms", most, "ms", most <= 10.0);
    EXPECT_LE(median, 3.0);
    EXPECT_LE(most, 10.0);
    EXPECT_NE(test::errorOf([] { followStrokes({}, steadyTime(100.0)); }).find("too few"),
              std::string::npos);
}

TEST(Timing, DrumsAreToldAgainstATimeThatChanges) {
    const Played played = playedFreely(100.0, 0.08, 40, 5);
    std::vector<Stroke> late = played.strokes;
    for (Stroke& s : late) {
        if (s.drum == "hihat") s.time += 0.012;
    }
    sortByTime(late);
    const KitTiming t = measureTiming(late, played.time);
    for (const DrumTiming& d : t.drums) {
        EXPECT_NEAR(d.offsetMs, d.drum == "hihat" ? 12.0 : 0.0, 4.0) << d.drum;
        EXPECT_LT(d.spreadMs, 10.0) << d.drum;
    }
    ASSERT_GT(t.drift.size(), 30U);
    for (const DriftPoint& d : t.drift) EXPECT_LT(std::abs(d.offsetMs), 16.0);
}

TEST(Levels, CorrelationWidthAndMonoLossFollowTheirFormulas) {
    const std::vector<float> a = test::noise(0.25, 48000 * 4, 1),
                             b = test::noise(0.25, 48000 * 4, 2);
    std::vector<float> turned = a;
    for (float& v : turned) v = -v;
    const auto measure = [](const std::vector<float>& l, const std::vector<float>& r) {
        const std::vector<std::span<const float>> both{l, r};
        return measureLevels(both, 48000.0);
    };
    const SignalLevels same = measure(a, a), apart = measure(a, b), against = measure(a, turned);
    EXPECT_NEAR(same.correlation, 1.0, 1e-6);
    EXPECT_NEAR(same.monoLossDb, 0.0, 1e-6);
    EXPECT_NEAR(apart.correlation, 0.0, 0.02);
    EXPECT_NEAR(apart.monoLossDb, 3.01, 0.1);
    for (const BandWidth& w : apart.width) EXPECT_NEAR(w.sideToMidDb, 0.0, 1.5) << w.hertz;
    EXPECT_NEAR(against.correlation, -1.0, 1e-6);
    EXPECT_GT(against.monoLossDb, 60.0);
    for (const BandWidth& w : same.width) EXPECT_LT(w.sideToMidDb, -100.0);
}

TEST(Levels, ASineHasItsKnownLoudnessPeakAndCrest) {
    // EBU Tech 3341, case 1: 1 kHz at -23 dBFS in both channels reads -23 LUFS.
    const std::vector<float> x =
        test::sine(1000.0, std::pow(10.0, -23.0 / 20.0), 48000 * 20, 48000.0);
    const std::vector<std::span<const float>> both{x, x};
    const SignalLevels l = measureLevels(both, 48000.0);
    EXPECT_NEAR(l.integrated, -23.0, 0.1);
    EXPECT_NEAR(l.truePeak, -23.0, 0.2);
    EXPECT_NEAR(l.crestDb, 3.01, 0.05);
    const std::vector<float> silence(48000, 0.0F);
    const std::vector<std::span<const float>> none{silence};
    EXPECT_LE(measureLevels(none, 48000.0).integrated, -70.0);
}

// A tom's head that answers every kick at a known level, and wires that answer at another.
TEST(Sympathy, HeadsAndWiresAreHeardAtTheLevelTheyAnswerWith) {
    constexpr double kRate = 48000.0;
    std::vector<float> tom(48000 * 40, 0.0F), wires(tom.size(), 0.0F);
    KitStrokes all;
    const auto ring = [&](double at, double level) {
        for (std::size_t i = 0; i < 24000; ++i) {
            const double t = static_cast<double>(i) / kRate;
            tom[static_cast<std::size_t>(at * kRate) + i] += static_cast<float>(
                level * std::exp(-6.9 * t / 0.9) * std::sin(2.0 * std::numbers::pi * 112.0 * t));
        }
    };
    const auto buzz = [&](double at, double level) {
        const std::vector<float> n = test::noise(1.0, 9600, static_cast<std::uint64_t>(at * 100));
        for (std::size_t i = 0; i < n.size(); ++i)
            wires[static_cast<std::size_t>(at * kRate) + i] +=
                static_cast<float>(level * std::exp(-static_cast<double>(i) / 4000.0)) * n[i];
    };
    for (int n = 0; n < 8; ++n) {
        const double at = 1.0 + 4.5 * n;
        all.strokes.push_back(stroke(at, "rack-tom"));
        ring(at, 0.5);
        all.strokes.push_back(stroke(at + 1.5, "snare"));
        buzz(at + 1.5, 0.5);
        all.strokes.push_back(stroke(at + 3.0, "kick"));
        ring(at + 3.0, 0.05);
        buzz(at + 3.0, 0.025);
    }
    KitMics kit;
    kit.mics.push_back({"rack", Role::rackTom, {tom}, 0});
    kit.mics.push_back({"bottom", Role::snareBottom, {wires}, 0});
    kit.mics.push_back({"kick", Role::kick, {wires}, 0});
    kit.drums = drumsOf({Role::rackTom, Role::snareBottom, Role::kick});
    DrumTone tone;
    tone.drum = "rack-tom";
    tone.fundamental = 112.0;
    int heads = 0, buzzes = 0;
    for (const Sympathy& s : measureSympathy(kit, all, {tone})) {
        if (s.struck != "kick") continue;
        if (s.wires && s.mic == "bottom") {
            ++buzzes;
            EXPECT_NEAR(s.relativeDb, -26.0, 1.5);
        } else if (!s.wires && s.drum == "rack-tom") {
            ++heads;
            EXPECT_NEAR(s.relativeDb, -20.0, 1.0);
        }
    }
    EXPECT_EQ(heads, 1);
    EXPECT_EQ(buzzes, 1);
}

class SpotsOfAGroove : public testing::Test {
  protected:
    SpotsOfAGroove() {
        session_.time = steadyTime(120.0, 1.0);
        Row snare;
        snare.id = "snare";
        snare.role = Role::snare;
        snare.sources.push_back({"nowhere.wav", {}, 0, 0.0});
        session_.rows.push_back(snare);
        session_ = withDrums(std::move(session_));
        measured_.strokes.strokes = groove(120.0, 1.0, 8, 0.0);
        // Bar 3 has ghosts, bar 6 a fill, and after the groove the snare strikes alone.
        for (int i = 0; i < 6; ++i)
            add(stroke(1.0 + 2.0 * 2.0 + 0.125 + 0.25 * i, "snare", StrokeKind::ghost));
        for (int i = 0; i < 8; ++i) add(stroke(1.0 + 5.0 * 2.0 + 0.25 * i, "rack-tom"));
        add(stroke(20.0, "snare"));
        add(stroke(24.0, "kick"));
        sortByTime(measured_.strokes.strokes);
    }
    void add(const Stroke& s) { measured_.strokes.strokes.push_back(s); }
    [[nodiscard]] FoundSpot find(SpotKind kind, const std::string& drum) const {
        for (const FoundSpot& s : findSpots(session_, measured_, test::sharedStore())) {
            if (s.kind == kind && s.drum == drum) return s;
        }
        return {};
    }
    Session session_;
    KitMeasurement measured_;
};

TEST_F(SpotsOfAGroove, AreWhereTheyWerePut) {
    const FoundSpot ghosts = find(SpotKind::ghosts, "snare"), fill = find(SpotKind::fill, ""),
                    alone = find(SpotKind::alone, "snare");
    EXPECT_LE(ghosts.spot.from, 5.125);
    EXPECT_GE(ghosts.spot.to, 6.375);
    EXPECT_NE(ghosts.reason.find("6"), std::string::npos);
    EXPECT_LE(fill.spot.from, 11.01);
    EXPECT_GE(fill.spot.to, 12.75);
    EXPECT_LE(alone.spot.from, 20.0);
    EXPECT_GT(alone.spot.to, 21.5);
    EXPECT_TRUE(find(SpotKind::ghosts, "kick").spot.name.empty());
    const FoundSpot busiest = find(SpotKind::busiest, "");
    EXPECT_NEAR(busiest.spot.from, 11.0, 0.01) << "the bar of the fill";
    EXPECT_NEAR(busiest.spot.to - busiest.spot.from, 2.0, 1e-9);
    EXPECT_NE(busiest.reason.find("strokes of all drums"), std::string::npos);
}

TEST_F(SpotsOfAGroove, AreOrderedByTheirUseForACell) {
    const auto found = findSpots(session_, measured_, test::sharedStore());
    EXPECT_EQ(spotsFor(found, session_, "snare", Column::gate).front().kind, SpotKind::ghosts);
    EXPECT_EQ(spotsFor(found, session_, "snare", Column::align).front().kind, SpotKind::alone);
    session_.spots.push_back({"the break", 3.0, 4.0});
    const auto mine = spotsFor(found, session_, "snare", Column::gate).front();
    EXPECT_EQ(mine.kind, SpotKind::own);
    EXPECT_EQ(mine.spot.name, "the break");
}

TEST(KitCache, GivesBackWhatItWasGivenAndNothingThatIsDamaged) {
    const TempFolder folder;
    KitMeasurement m;
    m.found.strokes = groove(100.0, 1.0, 3, 0.001);
    m.strokes = m.found;
    m.strokes.bleed.push_back({1.5, "snare-top", "kick", -31.0});
    m.tone.push_back({});
    m.tone.back().drum = "snare";
    m.tone.back().rings.push_back({571.0, 12.0, 0.6, 0.8});
    m.phase.push_back(
        {"snare", "bottom", "top", 37.5, true, -1, 0.9, 250.0, 12, -3.0, {{125, -9, 0}}});
    m.sympathy.push_back({"rack-tom", "rack", "kick", false, 112.0, -20.0, 3.0, 8});
    m.timing = measureTiming(m.found.strokes, steadyTime(100.0));
    m.levels.push_back({});
    m.levels.back().width.push_back({125.0, -4.0});
    keepMeasurement(folder / "m.kit", m);
    EXPECT_EQ(loadMeasurement(folder / "m.kit"), m);
    EXPECT_FALSE(loadMeasurement(folder / "none.kit"));
    std::string bytes = test::readText(folder / "m.kit");
    for (const std::size_t at : {std::size_t{5}, bytes.size() / 2, bytes.size() - 1}) {
        std::string bad = bytes;
        bad[at] = static_cast<char>(bad[at] ^ 0x41);
        test::writeText(folder / "bad.kit", bad);
        EXPECT_FALSE(loadMeasurement(folder / "bad.kit")) << at;
    }
    test::writeText(folder / "short.kit", bytes.substr(0, bytes.size() - 9));
    EXPECT_FALSE(loadMeasurement(folder / "short.kit"));
}

TEST(KitMeasure, MeasuresNothingTwice) {
    const Session& session = test::shortSession();
    const TempFolder folder;
    AudioStore store(folder.path());
    std::vector<std::string> said;
    const Progress watch = [&](double, const std::string& what) {
        said.push_back(what);
        return true;
    };
    const KitMeasurement first = measureKit(session, store, watch);
    EXPECT_FALSE(first.strokes.strokes.empty());
    EXPECT_FALSE(said.empty());
    said.clear();
    EXPECT_EQ(measureKit(session, store, watch), first);
    EXPECT_TRUE(said.empty());
    // A correction keeps the strokes found and measures the rest anew.
    Session corrected = session;
    corrected.strokeEdits.push_back({true, first.strokes.strokes.front()});
    const KitMeasurement second = measureKit(corrected, store, watch);
    EXPECT_EQ(second.found, first.found);
    EXPECT_EQ(second.strokes.strokes.size() + 1, first.strokes.strokes.size());
    const TempFolder other;
    AudioStore empty(other.path());
    EXPECT_THROW(measureKit(session, empty, [](double, const std::string&) { return false; }),
                 Cancelled);
}

TEST(StrokesMidi, HoldsEveryStrokeAtItsTimeOnItsKey) {
    const TempFolder folder;
    Session session;
    session.time = steadyTime(97.5, 1.2);
    const std::vector<Stroke> strokes = groove(97.5, 1.2, 4, 0.003);
    writeStrokesMidi(session, strokes, folder / "s.mid");
    smf_t* smf = smf_load((folder / "s.mid").c_str());
    ASSERT_NE(smf, nullptr);
    std::vector<std::pair<double, int>> notes, wanted;
    while (smf_event_t* event = smf_get_next_event(smf)) {
        if (event->midi_buffer_length == 3 && event->midi_buffer[0] == 0x99)
            notes.emplace_back(event->time_seconds, event->midi_buffer[1]);
    }
    smf_delete(smf);
    for (const Stroke& s : strokes) wanted.emplace_back(s.time, usualKey(s.drum));
    std::sort(notes.begin(), notes.end());
    std::sort(wanted.begin(), wanted.end());
    ASSERT_EQ(notes.size(), wanted.size());
    std::map<int, std::vector<double>> is, was;
    for (const auto& [t, key] : notes) is[key].push_back(t);
    for (const auto& [t, key] : wanted) was[key].push_back(t);
    for (const auto& [key, times] : was) {
        ASSERT_EQ(is[key].size(), times.size());
        for (std::size_t i = 0; i < times.size(); ++i) EXPECT_NEAR(is[key][i], times[i], 0.0005);
    }
    // Its bars begin where the session's do: song zero is pulse zero, with a rest in front.
    const TimeMap back = loadMidiTime(folder / "s.mid");
    const int lead = barAt(back, 1.2);
    for (int bar = 0; bar < 8; ++bar)
        EXPECT_NEAR(secondsOfBar(back, lead + bar), secondsOfBar(session.time, bar), 0.0005);
    const std::string why =
        test::errorOf([&] { writeStrokesMidi(session, strokes, folder / "nowhere" / "s.mid"); });
    EXPECT_NE(why.find("choose another folder"), std::string::npos) << why;
}

}  // namespace
}  // namespace ember
