#include "core/measure/song/song_sections.h"

#include "core/measure/sound/band_frames.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr std::array<const char*, 3> kToldBy{"kick", "snare", "hihat"};
constexpr int kOctaves = 8;  // from 44 Hz on
constexpr double kOctavesFrom = 44.0;
constexpr int kBarsAround = 6;  // before and behind a change, three at least
constexpr std::size_t kFewestAround = 3, kFewestBars = 4;  // of a part
// How unlike two stretches are for a change between them, and two parts for two names, over what
// each is unlike itself; in the distance of barsApart(). Chosen on songs of the fitted half.
constexpr double kChanges = 0.06, kOtherPart = 0.05;
constexpr double kDbApart = 8.0;      // of the octaves' levels, for a distance of one
constexpr double kSoundCounts = 4.0;  // against what is struck

// A bar as it is told.
struct BarTold {
    std::vector<double> struck;              // by drum and place, 0..1
    std::array<double, kOctaves> octaves{};  // dB
};

void tellOctaves(std::span<const float> sound, double rate, BarTold& bar) {
    int length = 1024;
    while (length < 0.08 * rate) length *= 2;
    std::array<HertzBand, kOctaves> bands{};
    for (int o = 0; o < kOctaves; ++o)
        bands[static_cast<std::size_t>(o)] = {kOctavesFrom * std::exp2(o),
                                              kOctavesFrom * std::exp2(o + 1)};
    const auto frames = bandFrames(sound, rate, length, length, bands);
    for (std::size_t o = 0; o < kOctaves; ++o) {
        double power = 1e-12;
        for (const auto& frame : frames) power += frame[o];
        bar.octaves[o] =
            10.0 * std::log10(power / std::max(1.0, static_cast<double>(frames.size())));
    }
}

// 0: alike; around 1: nothing in common.
double barsApart(const BarTold& a, const BarTold& b) {
    double both = 0.0, one = 0.0, other = 0.0;
    for (std::size_t i = 0; i < a.struck.size(); ++i) {
        both += a.struck[i] * b.struck[i];
        one += a.struck[i] * a.struck[i];
        other += b.struck[i] * b.struck[i];
    }
    const double struck = one > 0.0 && other > 0.0 ? 1.0 - both / std::sqrt(one * other)
                          : one + other > 0.0      ? 1.0
                                                   : 0.0;
    double sound = 0.0;
    for (std::size_t o = 0; o < kOctaves; ++o)
        sound += std::min(1.0, std::abs(a.octaves[o] - b.octaves[o]) / kDbApart) / kOctaves;
    return (struck + kSoundCounts * sound) / (1.0 + kSoundCounts);
}

using Distances = std::vector<std::vector<double>>;  // of bars from each other

// The mean distance between bars of two stretches, no bar with itself.
double meanApart(const Distances& apart, std::size_t a, std::size_t aTo, std::size_t b,
                 std::size_t bTo) {
    double sum = 0.0;
    int count = 0;
    for (std::size_t i = a; i < aTo; ++i) {
        for (std::size_t j = b; j < bTo; ++j) {
            if (i == j) continue;
            sum += apart[i][j];
            ++count;
        }
    }
    return count > 0 ? sum / count : 0.0;
}

// By how much two stretches are more unlike each other than each is itself.
double unlike(const Distances& apart, std::size_t a, std::size_t aTo, std::size_t b,
              std::size_t bTo) {
    return meanApart(apart, a, aTo, b, bTo) -
           0.5 * (meanApart(apart, a, aTo, a, aTo) + meanApart(apart, b, bTo, b, bTo));
}

std::vector<std::size_t> changesOf(const Distances& apart) {
    const std::size_t bars = apart.size();
    std::vector<double> novel(bars, 0.0);
    for (std::size_t b = kFewestAround; b + kFewestAround <= bars; ++b)
        novel[b] = unlike(apart, b - std::min<std::size_t>(b, kBarsAround), b, b,
                          std::min(bars, b + kBarsAround));
    std::vector<std::size_t> out;
    while (true) {
        std::size_t best = 0;
        for (std::size_t b = 1; b < bars; ++b) {
            const bool near = std::any_of(out.begin(), out.end(), [&](std::size_t other) {
                return b < other + kFewestBars && other < b + kFewestBars;
            });
            if (!near && novel[b] > kChanges && (best == 0 || novel[b] > novel[best])) best = b;
        }
        if (best == 0) break;
        out.push_back(best);
    }
    std::sort(out.begin(), out.end());
    return out;
}

std::vector<SectionDrum> usualBar(const std::vector<BarTold>& bars,
                                  const std::vector<const SongSection*>& alike, int places) {
    std::vector<SectionDrum> out;
    for (std::size_t d = 0; d < kToldBy.size(); ++d) {
        SectionDrum drum{kToldBy[d], {}};
        for (int p = 0; p < places; ++p) {
            int struck = 0, all = 0;
            for (const SongSection* s : alike) {
                for (int b = s->firstBar; b < s->firstBar + s->bars; ++b, ++all) {
                    const auto at =
                        d * static_cast<std::size_t>(places) + static_cast<std::size_t>(p);
                    struck += bars[static_cast<std::size_t>(b)].struck[at] > 0.0 ? 1 : 0;
                }
            }
            if (2 * struck >= all) drum.places.push_back(p);
        }
        if (!drum.places.empty()) out.push_back(std::move(drum));
    }
    return out;
}

}  // namespace

std::vector<SongSection> songSections(std::span<const std::span<const float>> channels,
                                      double sampleRate, const std::vector<double>& barLines,
                                      int beats, const std::vector<Stroke>& strokes,
                                      const Progress& progress) {
    if (barLines.size() < 2) return {};
    const int places = beats * kPlacesABeat;
    const std::size_t count = barLines.size() - 1;
    // Both sides together, silence beyond their end.
    const auto frameAt = [&](double seconds) {
        return static_cast<std::size_t>(std::max(0.0, seconds * sampleRate));
    };
    std::vector<float> sound(frameAt(barLines.back()), 0.0F);
    for (const auto& side : channels) {
        for (std::size_t i = 0; i < std::min(sound.size(), side.size()); ++i) sound[i] += side[i];
    }
    std::vector<BarTold> bars(count);
    for (std::size_t b = 0; b < count; ++b) {
        report(progress, static_cast<double>(b) / static_cast<double>(count), "Comparing its bars");
        bars[b].struck.assign(kToldBy.size() * static_cast<std::size_t>(places), 0.0);
        const std::size_t from = frameAt(barLines[b]), to = frameAt(barLines[b + 1]);
        tellOctaves(std::span(sound).subspan(from, to - from), sampleRate, bars[b]);
    }
    for (const Stroke& s : strokes) {
        const auto drum = std::find(kToldBy.begin(), kToldBy.end(), s.drum);
        if (drum == kToldBy.end() || s.kind == StrokeKind::ghost) continue;
        // What is struck a little before a bar line belongs to it.
        const double early = s.time + 0.25 * (barLines[1] - barLines[0]) / places;
        const auto after = std::upper_bound(barLines.begin(), barLines.end(), early);
        if (after == barLines.begin() || after == barLines.end()) continue;
        const auto b = static_cast<std::size_t>(after - barLines.begin()) - 1;
        const double share = (s.time - barLines[b]) / (barLines[b + 1] - barLines[b]);
        const int place = std::clamp(static_cast<int>(std::lround(share * places)), 0, places - 1);
        bars[b].struck[static_cast<std::size_t>(drum - kToldBy.begin()) *
                           static_cast<std::size_t>(places) +
                       static_cast<std::size_t>(place)] = 1.0;
    }
    Distances apart(count, std::vector<double>(count, 0.0));
    for (std::size_t i = 0; i < count; ++i) {
        for (std::size_t j = 0; j < i; ++j) apart[i][j] = apart[j][i] = barsApart(bars[i], bars[j]);
    }
    std::vector<std::size_t> edges = changesOf(apart);
    edges.insert(edges.begin(), 0);
    edges.push_back(count);
    std::vector<SongSection> out;
    int names = 0;
    for (std::size_t e = 0; e + 1 < edges.size(); ++e) {
        SongSection section{{},
                            barLines[edges[e]],
                            barLines[edges[e + 1]],
                            static_cast<int>(edges[e]),
                            static_cast<int>(edges[e + 1] - edges[e]),
                            {}};
        double nearest = kOtherPart;
        for (const SongSection& before : out) {
            const auto first = static_cast<std::size_t>(before.firstBar),
                       last = first + static_cast<std::size_t>(before.bars);
            const double far = unlike(apart, edges[e], edges[e + 1], first, last);
            if (far >= nearest) continue;
            nearest = far;
            section.name = before.name;
        }
        if (section.name.empty()) {
            section.name = static_cast<char>('A' + names % 26);
            if (names >= 26) section.name += std::to_string(names / 26 + 1);
            ++names;
        }
        out.push_back(std::move(section));
    }
    std::map<std::string, std::vector<const SongSection*>> alike;
    for (const SongSection& s : out) alike[s.name].push_back(&s);
    std::map<std::string, std::vector<SectionDrum>> drums;
    for (const auto& [name, list] : alike) drums[name] = usualBar(bars, list, places);
    for (SongSection& s : out) s.drums = drums[s.name];
    return out;
}

std::string placesText(const std::vector<int>& places) {
    constexpr std::array<const char*, kPlacesABeat> within{"", "e", "&", "a"};
    std::string out;
    for (const int p : places)
        out += (out.empty() ? "" : ", ") + std::to_string(p / kPlacesABeat + 1) +
               within[static_cast<std::size_t>(p % kPlacesABeat)];
    return out;
}

}  // namespace ember
