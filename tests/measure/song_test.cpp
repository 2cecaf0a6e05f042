// Strokes, bare bars and drums of finished songs, in songs whose drums are known.

#include "core/base/random.h"
#include "core/base/units.h"
#include "core/measure/song/modulation.h"
#include "core/measure/song/song_bars.h"
#include "core/measure/song/song_sections.h"
#include "core/measure/song/song_strokes.h"
#include "tests/support/accuracy.h"
#include "tests/support/made_up_song.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <utility>

namespace ember {
namespace {

using test::Half;
using test::World;

constexpr double kNearEnough = 0.025;  // seconds
constexpr std::array<const char*, 3> kAsked{"kick", "snare", "hihat"};

struct Found {
    int hit = 0, extra = 0, missed = 0;
    [[nodiscard]] double f() const { return 2.0 * hit / std::max(1, 2 * hit + extra + missed); }
};

// Softly struck ones are neither asked for nor held against it.
void score(const test::MadeUpSong& song, const std::vector<Stroke>& found,
           std::map<std::string, Found>& all) {
    for (const std::string drum : kAsked) {
        Found& sum = all[drum];
        std::vector<const Stroke*> played;
        for (const Stroke& s : song.strokes) {
            if (s.drum == drum) played.push_back(&s);
        }
        std::vector<bool> used(played.size(), false);
        for (const Stroke& s : found) {
            if (s.drum != drum) continue;
            std::size_t best = played.size();
            double nearest = kNearEnough;
            for (std::size_t i = 0; i < played.size(); ++i) {
                const double off = std::abs(played[i]->time - s.time);
                if (used[i] || off >= nearest) continue;
                nearest = off;
                best = i;
            }
            if (best == played.size()) {
                ++sum.extra;
                continue;
            }
            used[best] = true;
            const StrokeKind kind = played[best]->kind;
            sum.hit += kind == StrokeKind::ghost || kind == StrokeKind::flam ? 0 : 1;
        }
        for (std::size_t i = 0; i < played.size(); ++i) {
            const StrokeKind kind = played[i]->kind;
            if (!used[i] && kind != StrokeKind::ghost && kind != StrokeKind::flam) ++sum.missed;
        }
    }
}

std::array<std::span<const float>, 2> sidesOf(const test::MadeUpSong& song) {
    return {song.left, song.right};
}

int songsOf(World world) {
    return test::allKits() ? 12 : world == World::simulated ? 2 : 1;
}

// Songs to be judged, made once for all tests.
const std::vector<test::MadeUpSong>& judged(World world) {
    static std::map<World, std::vector<test::MadeUpSong>> kept;
    std::vector<test::MadeUpSong>& songs = kept[world];
    while (static_cast<int>(songs.size()) < songsOf(world))
        songs.push_back(
            test::madeUpSong(world, Half::judged, static_cast<int>(songs.size()), 40.0));
    return songs;
}

double barOf(const test::MadeUpSong& song) {
    return 240.0 / song.tempo;
}
std::vector<double> barLines(const test::MadeUpSong& song) {
    std::vector<double> out;
    const double end = static_cast<double>(song.left.size()) / song.rate;
    for (double at = song.firstBar; at < end; at += barOf(song)) out.push_back(at);
    return out;
}

TEST(Song, KickAndSnareAreFoundUnderBassChordsAndVoice) {
    for (const World world : {World::simulated, World::recorded}) {
        std::map<std::string, Found> all, fitted;
        for (const test::MadeUpSong& song : judged(world))
            score(song, findSongStrokes(sidesOf(song), song.rate), all);
        for (int i = 0; test::allKits() && i < songsOf(world); ++i) {
            const test::MadeUpSong song = test::madeUpSong(world, Half::fitted, i, 40.0);
            score(song, findSongStrokes(sidesOf(song), song.rate), fitted);
        }
        for (const std::string drum : {"kick", "snare"}) {
            const std::string what =
                std::string("strokes under music, ") + test::nameOf(world) + ": F " + drum;
            const double f = all[drum].f();
            test::accuracy(what, ">= 0.85", f, "", f >= 0.85);
            // Few songs, the recorded ones of the small set alone, only tell a breakdown.
            EXPECT_GE(f, test::allKits() ? 0.8 : 0.6) << what;
            if (!test::allKits()) continue;
            const double gap = fitted[drum].f() - f;
            test::accuracy("gap to songs fitted on, " + what, "<= 0.05", gap, "", gap <= 0.05);
        }
        const double hat = all["hihat"].f();
        test::accuracy(
            std::string("strokes under music, ") + test::nameOf(world) + ": F hat (no goal)",
            ">= 0", hat, "", true);
    }
}

TEST(Song, WhereNothingIsStruckNextToNothingIsHeard) {
    int heard = 0;
    double bars = 0.0;
    for (const World world : {World::simulated, World::recorded}) {
        for (const test::MadeUpSong& song : judged(world)) {
            for (const Stroke& s : findSongStrokes(sidesOf(song), song.rate)) {
                if (s.drum != "hihat" && s.time > song.still.first + 0.1 &&
                    s.time < song.still.second - 0.1)
                    ++heard;
            }
            bars += 2.0;
        }
    }
    test::accuracy("strokes under music: false kicks and snares a bar without drums", "<= 0.5",
                   heard / bars, "", heard / bars <= 0.5);
    EXPECT_LE(heard / bars, 1.0);
}

TEST(Song, BareBarsAreThoseInWhichOnlyDrumsSound) {
    int right = 0, wrong = 0, bare = 0;
    for (const World world : {World::simulated, World::recorded}) {
        for (const test::MadeUpSong& song : judged(world)) {
            bare += 2;
            for (const BareBars& b :
                 bareBars(sidesOf(song), song.rate, barLines(song), song.strokes)) {
                for (int i = 0; i < b.bars; ++i) {
                    const double middle = b.from + (i + 0.5) * barOf(song);
                    const bool is = middle > song.bare.first && middle < song.bare.second;
                    ++(is ? right : wrong);
                }
            }
        }
    }
    const double found = 100.0 * right / bare, false_ = 100.0 * wrong / std::max(1, right + wrong);
    test::accuracy("bare bars of made-up songs found", ">= 80 %", found, "%", found >= 80.0);
    test::accuracy("bars said to be bare that are not", "<= 10 %", false_, "%", false_ <= 10.0);
    EXPECT_GE(found, 50.0);
    EXPECT_LE(false_, 34.0);
}

TEST(Song, AKitAloneIsBareThroughoutAndUnderABassNowhere) {
    demo::KitOptions options;
    options.seconds = 24.0;
    const demo::Recording recording = demo::record(options);
    std::vector<float> kit(recording.mics.front().signal.size());
    for (const demo::MicTrack& mic : recording.mics) {
        for (std::size_t i = 0; i < kit.size(); ++i) kit[i] += 0.2F * mic.signal[i];
    }
    std::vector<double> lines;
    for (double at = 1.2; at < options.seconds; at += 240.0 / options.tempo) lines.push_back(at);
    std::vector<Stroke> strokes;
    for (const demo::Stroke& played : recording.strokes) {
        Stroke s;
        s.time = played.time;
        strokes.push_back(std::move(s));
    }
    const auto bars = [&](const std::vector<float>& x) {
        const std::array<std::span<const float>, 1> one{x};
        int sum = 0;
        for (const BareBars& b : bareBars(one, options.sampleRate, lines, strokes)) sum += b.bars;
        return sum;
    };
    const int all = static_cast<int>(lines.size()) - 1;
    EXPECT_GE(bars(kit), 0.9 * all - 1.0);
    EXPECT_LE(bars(recording.referenceLeft), 0.1 * all) << "a bass plays";
}

// Two songs in turn, six bars of each, twice: four parts, of which two and two are alike.
struct PartsFound {
    int right = 0, asked = 0, extra = 0, named = 0, pairs = 0;
};
void findParts(const std::array<const test::MadeUpSong*, 2>& songs, PartsFound& all) {
    constexpr int kBars = 6;
    std::array<std::vector<float>, 2> joined;
    std::vector<double> lines;
    const double rate = songs[0]->rate;
    for (std::size_t part = 0; part < 4; ++part) {
        const test::MadeUpSong& song = *songs[part % 2];
        const double bar = 240.0 / song.tempo,
                     begins = static_cast<double>(joined[0].size()) / rate;
        for (int b = 0; b < kBars; ++b) lines.push_back(begins + b * bar);
        const auto first = static_cast<std::ptrdiff_t>(song.firstBar * rate),
                   last = static_cast<std::ptrdiff_t>((song.firstBar + kBars * bar) * rate);
        ASSERT_LE(last, std::ssize(song.left));
        for (const auto& [to, from] :
             {std::pair{&joined[0], &song.left}, {&joined[1], &song.right}})
            to->insert(to->end(), from->begin() + first, from->begin() + last);
    }
    lines.push_back(static_cast<double>(joined[0].size()) / rate);
    const std::vector<std::span<const float>> sides(joined.begin(), joined.end());
    const auto found = songSections(sides, rate, lines, 4, findSongStrokes(sides, rate));
    std::array<bool, 3> hit{};
    for (const SongSection& s : found) {
        const auto edge = static_cast<std::size_t>((s.firstBar + kBars / 2) / kBars);
        if (s.firstBar == 0) continue;
        const bool near =
            edge > 0 && edge < 4 && std::abs(s.firstBar - static_cast<int>(edge) * kBars) <= 1;
        if (near && !std::exchange(hit[edge - 1], true))
            ++all.right;
        else
            ++all.extra;
    }
    all.asked += 3;
    const auto nameAt = [&](int bar) {
        for (const SongSection& s : found) {
            if (bar >= s.firstBar && bar < s.firstBar + s.bars) return s.name;
        }
        return std::string();
    };
    for (int a = 0; a < 4; ++a) {
        for (int b = 0; b < a; ++b, ++all.pairs) {
            const bool same = nameAt(a * kBars + 3) == nameAt(b * kBars + 3);
            all.named += same == ((a - b) % 2 == 0) ? 1 : 0;
        }
    }
}

TEST(Song, PartsAreFoundNamedAndToldByWhatIsStruck) {
    for (const World world : {World::simulated, World::recorded}) {
        PartsFound all;
        const auto& songs = judged(world);
        for (std::size_t i = 0; i + 1 < songs.size(); i += 2)
            findParts({&songs[i], &songs[i + 1]}, all);
        if (all.asked == 0) continue;
        const std::string what = std::string("parts of a song, ") + test::nameOf(world);
        const double found = static_cast<double>(all.right) / all.asked,
                     named = static_cast<double>(all.named) / all.pairs;
        std::printf("%s: %d of %d changes within a bar, %d more, %d of %d pairs named right\n",
                    what.c_str(), all.right, all.asked, all.extra, all.named, all.pairs);
        test::accuracy(what + ": changes found (no goal)", ">= 0", found, "", true);
        test::accuracy(what + ": changes that are none (no goal)", ">= 0", all.extra, "", true);
        test::accuracy(what + ": alike or not told right (no goal)", ">= 0", named, "", true);
        EXPECT_GE(found, 0.6);
        EXPECT_LE(all.extra, all.asked / 2);
        EXPECT_GE(named, 0.6);
    }
    EXPECT_EQ(placesText({0, 6, 8, 11}), "1, 2&, 3, 3a");
}

TEST(Song, ADrumThatIsRaisedStandsHigher) {
    // Clean bursts in the bands of a kick and a snare under a steady tone.
    const auto song = [](double snareDb) {
        std::vector<float> x = test::sine(330.0, 0.02, 48000 * 10, 48000.0);
        Random random(3);
        for (int beat = 0; beat < 18; ++beat) {
            const auto at = static_cast<std::size_t>((0.5 + 0.5 * beat) * 48000.0);
            for (std::size_t i = 0; i < 7000; ++i) {
                const double t = static_cast<double>(i) / 48000.0, decay = std::exp(-t / 0.04);
                x[at + i] += static_cast<float>(
                    decay * (beat % 2 == 0 ? 0.5 * std::sin(2.0 * std::numbers::pi * 60.0 * t)
                                           : 0.2 * gainFromDb(snareDb) *
                                                 static_cast<double>(random.noise())));
            }
        }
        return x;
    };
    std::vector<Stroke> strokes;
    for (int beat = 0; beat < 18; ++beat) {
        Stroke s;
        s.time = 0.5 + 0.5 * beat;
        s.drum = beat % 2 == 0 ? "kick" : "snare";
        strokes.push_back(s);
    }
    const auto higher = [&](double db) {
        const std::vector<float> x = song(db);
        const std::array<std::span<const float>, 1> one{x};
        const auto found = drumsStand(one, 48000.0, strokes);
        EXPECT_EQ(found.size(), 2U);
        return found[1].db - found[0].db;
    };
    EXPECT_NEAR(higher(4.0) - higher(0.0), 4.0, 0.3);
    EXPECT_NEAR(higher(-6.0) - higher(0.0), -6.0, 0.5);
    strokes.resize(5);  // two snares
    const std::vector<float> x = song(0.0);
    const std::array<std::span<const float>, 1> one{x};
    EXPECT_TRUE(drumsStand(one, 48000.0, strokes).empty()) << "too few to say anything";
}

TEST(Song, ModulationIsFoundWhereItIsAndNowhereElse) {
    Random random(21);
    int found = 0, all = 0, falsely = 0, still = 0;
    double rateError = 0.0;
    for (int i = 0; i < 60; ++i) {
        // Chords of held tones with noise, half of them with a tremolo of 1 to 6 dB.
        const std::size_t frames = 48000 * 12;
        std::vector<float> x = test::noise(0.02, frames, static_cast<std::uint64_t>(i) + 1);
        const double hertz = random.uniform(0.4, 9.0), depth = random.uniform(1.0, 6.0);
        const bool moves = i % 2 == 0;
        for (int chord = 0; chord < 8; ++chord) {
            const double note = 220.0 * std::exp2(std::floor(random.uniform(0.0, 12.0)) / 12.0),
                         begins = 1.5 * chord + 0.02 * random.normal();
            for (std::size_t k = 0; k < frames; ++k) {
                const double t = static_cast<double>(k) / 48000.0 - begins;
                if (t < 0.0 || t > 1.4) continue;
                const double swell = std::min(1.0, t / 0.05) * std::exp(-t);
                x[k] +=
                    static_cast<float>(0.2 * swell * std::sin(2.0 * std::numbers::pi * note * t));
            }
        }
        if (moves) {
            for (std::size_t k = 0; k < frames; ++k)
                x[k] *= static_cast<float>(gainFromDb(
                    0.5 * depth *
                    std::sin(2.0 * std::numbers::pi * hertz * static_cast<double>(k) / 48000.0)));
        }
        const std::array<std::span<const float>, 1> one{x};
        bool said = false;
        // Chords come in whole parts of a bar of 1.5 s.
        for (const Modulation& m : findModulation(one, 48000.0, 150.0, 600.0, 160.0)) {
            if (m.chance > kModulationChance) continue;
            if (moves && std::abs(m.hertz / hertz - 1.0) < 0.05) {
                said = true;
                rateError = std::max(rateError, std::abs(m.hertz / hertz - 1.0));
            } else if (!m.withBeat) {
                ++falsely;
            }
        }
        if (moves) {
            ++all;
            found += said ? 1 : 0;
        } else {
            ++still;
        }
    }
    const double hits = 100.0 * found / all, alarms = 100.0 * falsely / (all + still);
    test::accuracy("modulation of 1 to 6 dB in made-up chords found", ">= 70 %", hits, "%",
                   hits >= 70.0);
    test::accuracy("modulation said to be where none is", "<= 5 %", alarms, "%", alarms <= 5.0);
    EXPECT_GE(hits, 70.0);
    EXPECT_LE(alarms, 5.0);
    EXPECT_TRUE(findModulation({}, 48000.0, 100.0, 200.0).empty());
}

TEST(Song, NothingBreaksOnNothing) {
    const std::vector<float> silent(48000, 0.0F), none;
    for (const auto& x : {silent, none}) {
        const std::array<std::span<const float>, 1> one{x};
        EXPECT_TRUE(findSongStrokes(one, 48000.0).empty());
        EXPECT_TRUE(bareBars(one, 48000.0, {0.0, 0.5, 1.0}, {}).empty());
        EXPECT_TRUE(drumsStand(one, 48000.0, {}).empty());
        EXPECT_TRUE(findModulation(one, 48000.0, 100.0, 200.0).empty());
    }
}

}  // namespace
}  // namespace ember
