// Listening to the kit against what the simulation knows. ./run accuracy takes 24 kits, the tests a
// few.

#include "core/measure/kit/timing.h"
#include "core/measure/strokes/kinds.h"
#include "core/measure/strokes/strokes.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"
#include "tests/support/worlds.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <map>
#include <tuple>

namespace ember {
namespace {

constexpr double kTolerance = 0.013;  // seconds within which a stroke found is the stroke played

// Hits and misses of one drum. Ghost and grace notes are counted apart.
struct Count {
    int hit = 0, extra = 0, missed = 0;  // accents and normal strokes; extra: nothing was played
    int softHit = 0, softMissed = 0;     // ghosts
    int kindRight = 0, kindAll = 0;
    int bleed = 0;               // extras at the time of another drum's stroke
    std::vector<double> errors;  // seconds
    void operator+=(const Count& o) {
        hit += o.hit;
        extra += o.extra;
        missed += o.missed;
        softHit += o.softHit;
        softMissed += o.softMissed;
        kindRight += o.kindRight;
        kindAll += o.kindAll;
        bleed += o.bleed;
        errors.insert(errors.end(), o.errors.begin(), o.errors.end());
    }
    [[nodiscard]] double f() const { return 2.0 * hit / std::max(1, 2 * hit + extra + missed); }
    [[nodiscard]] double ghostF() const {
        return 2.0 * softHit / std::max(1, 2 * softHit + extra + softMissed);
    }
    [[nodiscard]] double medianError() const {
        std::vector<double> e = errors;
        if (e.empty()) return 0.0;
        std::nth_element(e.begin(), e.begin() + static_cast<std::ptrdiff_t>(e.size() / 2), e.end());
        return e[e.size() / 2];
    }
};

std::string familyOf(const std::string& drum) {
    return isTom(drum) ? "toms" : (drumFamily(drum) == DrumFamily::cymbal ? "cymbal" : drum);
}

using Counts = std::map<std::string, Count>;

Counts score(const test::TruthKit& truth, const KitStrokes& found) {
    Counts out;
    const auto& played = truth.recording().strokes;
    std::vector<bool> used(played.size(), false);
    for (const Stroke& s : found.strokes) {
        Count& count = out[familyOf(s.drum)];
        std::size_t best = played.size();
        double nearest = kTolerance;
        bool company = false;
        for (std::size_t i = 0; i < played.size(); ++i) {
            const double error = std::abs(played[i].time + truth.delay(played[i], s.mic) - s.time);
            company = company || error < kTolerance;
            // A cymbal is a cymbal; whether it has a microphone of its own is another matter.
            const std::string drum = truth.drumOf(played[i]);
            const bool same = drum == s.drum || (drumFamily(drum) == DrumFamily::cymbal &&
                                                 drumFamily(s.drum) == DrumFamily::cymbal);
            if (used[i] || !same || error >= nearest) continue;
            nearest = error;
            best = i;
        }
        if (best == played.size()) {
            ++count.extra;
            count.bleed += company ? 1 : 0;
            continue;
        }
        used[best] = true;
        count.errors.push_back(nearest);
        const auto kind = static_cast<StrokeKind>(played[best].kind);
        ++count.kindAll;
        count.kindRight += kind == s.kind ? 1 : 0;
        if (kind == StrokeKind::ghost || kind == StrokeKind::flam)
            ++count.softHit;
        else
            ++count.hit;
    }
    for (std::size_t i = 0; i < played.size(); ++i) {
        if (used[i]) continue;
        Count& count = out[familyOf(truth.drumOf(played[i]))];
        const bool soft =
            played[i].kind == demo::StrokeKind::ghost || played[i].kind == demo::StrokeKind::flam;
        ++(soft ? count.softMissed : count.missed);
    }
    return out;
}

using test::Half;
using test::World;

struct Goal {
    const char* drum;
    double f;                    // to be reached, over all kits together
    double simulated, recorded;  // below this even a few kits are a regression
};

// Tempo and bar line from the strokes found, beginning from a whole number of beats a minute.
void expectGrid(const test::TruthKit& truth, const KitStrokes& found) {
    constexpr double kFirstBar = 1.2;
    const double bpm = truth.recording().options.tempo, bar = 240.0 / bpm;
    const KitTiming timing = measureTiming(found.strokes, steadyTime(std::round(bpm)));
    const double off = (timing.firstBar - kFirstBar) / bar,
                 barError = 1000.0 * std::abs(off - std::round(off)) * bar,
                 error = std::abs(timing.bpm - bpm);
    test::accuracy("time: tempo from the strokes", "<= 0.1 BPM", error, "BPM", error <= 0.1);
    test::accuracy("time: bar line from the strokes", "<= 20 ms", barError, "ms", barError <= 20.0);
    EXPECT_LE(error, 0.1) << "seed " << truth.recording().options.seed;
    EXPECT_LE(barError, 20.0) << "seed " << truth.recording().options.seed;
}

// Goals are those of docs/measures.md; the table says where one is missed, the test fails below
// the least that a few kits must reach.
Counts listen(World world, demo::MicSet mics, const std::string& set,
              const std::vector<Goal>& goals, int kits) {
    const auto all = [&](Half half) {
        Counts sum;
        for (int i = 0; i < kits; ++i) {
            const auto truth = test::worldKit(world, half, i, mics, 50.0);
            const KitStrokes found = measureStrokes(truth->kit());
            for (const auto& [drum, count] : score(*truth, found)) {
                sum[drum] += count;
                // One line a kit and drum, for whoever looks for the reason.
                if (std::getenv("EMBER_TELL") != nullptr)
                    std::printf(
                        "%s %s kit %d %s: %d hit, %d extra (%d in company), %d missed; "
                        "soft %d, %d missed\n",
                        set.c_str(), test::nameOf(world), i, drum.c_str(), count.hit, count.extra,
                        count.bleed, count.missed, count.softHit, count.softMissed);
            }
            const bool grid =
                mics == demo::MicSet::full && half == Half::judged && world == World::simulated;
            if (grid) expectGrid(*truth, found);
        }
        return sum;
    };
    Counts sum = all(Half::judged);
    // How much better is what was fitted on? A gap says that it was learnt by heart.
    Counts fitted = test::allKits() ? all(Half::fitted) : Counts{};
    for (const Goal& goal : goals) {
        const double f = sum[goal.drum].f();
        char text[32];
        std::snprintf(text, sizeof text, ">= %.3f", goal.f);
        const std::string what = set + ", " + test::nameOf(world) + ": F " + goal.drum;
        test::accuracy("strokes, " + what, text, f, "", f >= goal.f);
        if (test::allKits()) {
            const double gap = fitted[goal.drum].f() - f;
            test::accuracy("gap to kits fitted on, " + what, "<= 0.05", gap, "", gap <= 0.05);
        }
        EXPECT_GE(f, world == World::simulated ? goal.simulated : goal.recorded) << what;
    }
    return sum;
}

// The tests judge recorded drums on the small set alone, whose sounds are short loops that flutter:
// its bounds only tell a breakdown. ./run accuracy judges them on the large one.
void listenFull(World world) {
    Counts sum = listen(world, demo::MicSet::full, "full set",
                        {{"kick", 0.985, 0.98, 0.85},
                         {"snare", 0.985, 0.97, 0.5},
                         {"toms", 0.985, 0.93, 0.6},
                         {"hihat", 0.95, 0.95, 0.3},
                         {"cymbal", 0.90, 0.82, 0.05}},
                        test::allKits() ? 12 : 2);
    const std::string where = std::string("strokes, full set, ") + test::nameOf(world) + ": ";
    const bool ours = world == World::simulated;
    Count all;
    for (const auto& [drum, count] : sum) all += count;
    const double ghosts = sum["snare"].ghostF();
    test::accuracy(where + "F ghost notes", ">= 0.92", ghosts, "", ghosts >= 0.92);
    EXPECT_GE(ghosts, ours ? 0.9 : 0.3);
    const double kinds = 100.0 * all.kindRight / std::max(1, all.kindAll);
    test::accuracy(where + "kind right", ">= 93 %", kinds, "%", kinds >= 93.0);
    EXPECT_GE(kinds, ours ? 88.0 : 60.0);
    const double bleed = 100.0 * all.bleed / std::max(1, all.hit + all.softHit);
    test::accuracy(where + "bleed taken for a stroke", "< 1 %", bleed, "%", bleed < 1.0);
    EXPECT_LT(bleed, ours ? 2.0 : 30.0);
    for (const char* drum : {"kick", "snare", "toms", "hihat"}) {
        const double error = 1000.0 * sum[drum].medianError();
        test::accuracy(where + "median time error on close mics", "<= 0.3 ms", error, "ms",
                       error <= 0.3);
        EXPECT_LE(error, ours ? 0.3 : 1.0) << drum;
    }
}

TEST(Strokes, OfAFullSetAreFoundAndGivenToTheRightDrum) {
    listenFull(World::simulated);
}

TEST(Strokes, OfRecordedDrumsAreFoundAndGivenToTheRightDrum) {
    ASSERT_TRUE(test::haveSmallSet()) << "install timgm6mb-soundfont, as ./run does";
    listenFull(World::recorded);
}

TEST(Strokes, OfReducedSetsAreFoundInTheOverheads) {
    for (const World world : {World::simulated, World::recorded}) {
        if (world == World::recorded && !test::allKits()) continue;
        listen(world, demo::MicSet::reduced, "kick, snare, overheads",
               {{"kick", 0.97, 0.97, 0.8},
                {"snare", 0.97, 0.96, 0.7},
                {"toms", 0.85, 0.5, 0.1},
                {"hihat", 0.85, 0.75, 0.2},
                {"cymbal", 0.85, 0.55, 0.1}},
               test::allKits() ? 6 : 2);
    }
}

TEST(Strokes, OfOneStereoFileAreMostlyFound) {
    for (const World world : {World::simulated, World::recorded}) {
        if (world == World::recorded && !test::allKits()) continue;
        listen(world, demo::MicSet::stereo, "one stereo file",
               {{"kick", 0.9, 0.9, 0.5},
                {"snare", 0.9, 0.4, 0.3},
                {"toms", 0.8, 0.2, 0.1},
                {"hihat", 0.8, 0.7, 0.1},
                {"cymbal", 0.8, 0.5, 0.1}},
               test::allKits() ? 6 : 2);
    }
}

Role misnamed(Role role) {
    switch (role) {
        case Role::kickIn:
            return Role::kickOut;
        case Role::kickOut:
            return Role::kickIn;
        case Role::snareTop:
            return Role::snareBottom;
        case Role::snareBottom:
            return Role::snareTop;
        default:
            return role;
    }
}

// Half of the microphones turned over, one of them gone, one that nobody named, and on every second
// kit the names of both kick and of both snare microphones exchanged: what is left still tells the
// drums apart.
TEST(Strokes, TurnedMissingUnnamedAndMisnamedMicrophonesDoNotMatter) {
    Counts sum;
    const int kits = test::allKits() ? 6 : 1;
    for (int i = 0; i < kits; ++i) {
        const test::TruthKit truth(test::variedKit(340 + i, demo::MicSet::full, 50.0));
        KitMics kit = truth.kit();
        std::vector<std::vector<float>> turned;
        turned.reserve(2 * kit.mics.size());
        for (std::size_t m = 0; m < kit.mics.size(); m += 2) {
            for (auto& channel : kit.mics[m].channels) {
                turned.emplace_back(channel.begin(), channel.end());
                for (float& v : turned.back()) v = -v;
                channel = turned.back();
            }
        }
        const char* gone = i % 3 == 0 ? "hat" : (i % 3 == 1 ? "ride" : "snare-bottom");
        std::erase_if(kit.mics, [&](const MicSignal& mic) { return mic.id == gone; });
        std::vector<Role> roles;
        for (MicSignal& mic : kit.mics) {
            if (mic.id == "room") mic.role = Role::unknown;
            if (i % 2 == 0) mic.role = misnamed(mic.role);
            roles.push_back(mic.role);
        }
        kit.drums = drumsOf(roles);
        for (const auto& [drum, count] : score(truth, measureStrokes(kit))) sum[drum] += count;
    }
    for (const auto& [drum, goal, least] :
         {std::tuple{"kick", 0.985, 0.97}, {"snare", 0.985, 0.95}, {"hihat", 0.95, 0.8}}) {
        const double f = sum[drum].f();
        char text[32];
        std::snprintf(text, sizeof text, ">= %.3f", goal);
        test::accuracy(
            std::string("strokes, turned, missing, unnamed and misnamed mics: F ") + drum, text, f,
            "", f >= goal);
        EXPECT_GE(f, least) << drum;
    }
}

// A programmed kit: one sample a drum, every stroke the same wave at another level, no bleed and
// digital silence between.
TEST(Strokes, AProgrammedKitIsFoundToTheSample) {
    constexpr double kRate = 48000.0;
    demo::KitOptions options;
    options.seconds = 2.0;
    const auto oneShot = [&](demo::Drum drum) {
        demo::Stroke stroke;
        stroke.time = 0.0;
        stroke.drum = drum;
        stroke.velocity = 0.9;
        stroke.articulation =
            drum == demo::Drum::hat ? demo::Articulation::closed : demo::Articulation::normal;
        auto sample = demo::radiate(drum, demo::makeKit(options), {stroke}, options).first;
        float peak = 1e-9F;
        for (const float v : sample) peak = std::max(peak, std::abs(v));
        const auto first = std::find_if(sample.begin(), sample.end(),
                                        [&](float v) { return std::abs(v) > 0.05F * peak; });
        std::vector<float> cut(first, std::min(sample.end(), first + 14400));
        for (std::size_t i = 0; i < cut.size(); ++i)
            cut[i] *= 0.5F / peak * std::min(1.0F, static_cast<float>(cut.size() - i) / 480.0F);
        return cut;
    };
    struct Track {
        const char* drum;
        Role role;
        demo::Drum sound;
        std::vector<std::pair<double, float>> strokes;  // seconds, gain
    };
    // Four bars at 120: backbeat with ghosts, a kick that varies, eighths of the hat.
    std::vector<Track> tracks{{"kick", Role::kick, demo::Drum::kick, {}},
                              {"snare", Role::snare, demo::Drum::snare, {}},
                              {"hihat", Role::hat, demo::Drum::hat, {}}};
    for (int bar = 0; bar < 4; ++bar) {
        const double at = 0.25 + 2.0 * bar;
        for (const double beat : {0.0, 1.25}) tracks[0].strokes.emplace_back(at + beat, 1.0F);
        for (const double beat : {0.5, 1.5}) tracks[1].strokes.emplace_back(at + beat, 1.0F);
        tracks[1].strokes.emplace_back(at + 0.875, 0.1F);
        for (int n = 0; n < 8; ++n)
            tracks[2].strokes.emplace_back(at + 0.25 * n, n % 2 == 0 ? 0.9F : 0.5F);
    }
    KitMics kit;
    kit.sampleRate = kRate;
    std::vector<std::vector<float>> sounds;
    for (const Track& track : tracks) {
        const std::vector<float> sample = oneShot(track.sound);
        sounds.emplace_back(static_cast<std::size_t>(9.0 * kRate), 0.0F);
        for (const auto& [time, gain] : track.strokes) {
            const auto at = static_cast<std::size_t>(std::lround(time * kRate));
            for (std::size_t i = 0; i < sample.size(); ++i)
                sounds.back()[at + i] += gain * sample[i];
        }
    }
    std::vector<Role> roles;
    for (std::size_t t = 0; t < tracks.size(); ++t) {
        kit.mics.push_back({tracks[t].drum, tracks[t].role, {sounds[t]}, 0});
        kit.end = std::max(kit.end, static_cast<Frames>(sounds[t].size()));
        roles.push_back(tracks[t].role);
    }
    kit.drums = drumsOf(roles);
    const KitStrokes found = measureStrokes(kit);
    std::size_t played = 0;
    for (const Track& track : tracks) {
        played += track.strokes.size();
        for (const auto& [time, gain] : track.strokes) {
            const auto at = std::find_if(
                found.strokes.begin(), found.strokes.end(), [&, t = time](const Stroke& s) {
                    return s.drum == track.drum && std::abs(s.time - t) < 0.0003;
                });
            ASSERT_NE(at, found.strokes.end()) << track.drum << " at " << time;
            EXPECT_EQ(at->kind == StrokeKind::ghost, gain < 0.2F) << track.drum << " at " << time;
        }
    }
    EXPECT_EQ(found.strokes.size(), played) << "and nothing else";
    EXPECT_TRUE(found.bleed.empty());
}

TEST(Strokes, SilenceHasNone) {
    const std::vector<float> silence(96000, 0.0F);
    KitMics kit;
    kit.mics.push_back({"snare", Role::snare, {silence}, 0});
    kit.drums = drumsOf({Role::snare});
    EXPECT_TRUE(measureStrokes(kit).strokes.empty());
}

TEST(Strokes, AreTheSameTwice) {
    const test::TruthKit truth(test::variedKit(300, demo::MicSet::full, 12.0));
    EXPECT_EQ(measureStrokes(truth.kit()), measureStrokes(truth.kit()));
}

TEST(Strokes, CorrectionsByHandStand) {
    KitStrokes all;
    for (int i = 0; i < 8; ++i)
        all.strokes.push_back(
            {1.0 + i, "snare", "snare-top", 0.9, 0.0, StrokeKind::accent, 0.99, false});
    Stroke soft{2.5, "snare", "snare-top", 0.2, 0.0, StrokeKind::ghost, 0.0, false},
        gone = all.strokes[3];
    gone.time += 0.002;  // close enough to be meant
    const KitStrokes edited = withEdits(all, {{true, gone}, {false, soft}});
    ASSERT_EQ(edited.strokes.size(), 8U);
    EXPECT_TRUE(edited.strokes[2].byHand);
    EXPECT_EQ(edited.strokes[2].kind, StrokeKind::ghost);
    EXPECT_EQ(strokesOf(edited, "kick").size(), 0U);
    for (const Stroke& s : edited.strokes) EXPECT_NE(s.time, 4.0);
}

TEST(Kinds, FollowTheirRule) {
    std::vector<Stroke> strokes;
    const auto add = [&](double time, double level) {
        strokes.push_back({time, "snare", "", 0.0, level, StrokeKind::normal, 1.0, false});
    };
    for (int i = 0; i < 10; ++i) add(i, 0.0);
    for (int i = 0; i < 5; ++i) add(10.0 + i, -6.0);
    add(20.0, -20.0);
    add(21.0, -9.0);  // the grace note of what follows
    add(21.03, 0.0);
    std::vector<Stroke*> list;
    for (Stroke& s : strokes) list.push_back(&s);
    sortIntoKinds(list);
    EXPECT_EQ(strokes[0].kind, StrokeKind::accent);
    EXPECT_EQ(strokes[10].kind, StrokeKind::normal);
    EXPECT_EQ(strokes[15].kind, StrokeKind::ghost);
    EXPECT_EQ(strokes[16].kind, StrokeKind::flam);
    EXPECT_EQ(strokes[17].kind, StrokeKind::accent);
    EXPECT_NEAR(levelFromVelocity(velocityFromLevel(-7.0)), -7.0, 1e-9);
    EXPECT_NEAR(levelFromVelocity(0.45), -8.7, 0.1);
}

}  // namespace
}  // namespace ember
