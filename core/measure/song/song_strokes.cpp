#include "core/measure/song/song_strokes.h"

#include "core/base/fft.h"
#include "core/base/units.h"
#include "core/measure/song/song_weights.h"
#include "core/measure/strokes/kinds.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kSongHop = 0.005, kSongLook = 0.021;  // seconds
constexpr double kSongLowest = 40.0, kSongHighest = 14000.0;
// Frames around a moment that are looked at.
constexpr std::array<int, kSongSteps> kSongOffsets{-4, -2, 0, 1, 2, 4, 8, 14};
constexpr double kSongNothingDb = -70.0;  // against the loudest of a band: nothing
constexpr double kLeastRiseDb = 3.0;
constexpr int kRiseBack = 3;      // frames a rise is held against
constexpr int kMomentsApart = 5;  // frames between moments at least
constexpr int kLowBands = 4, kMidBands = 10;
// By drum: where it is taken for a stroke.
constexpr std::array<double, kSongDrums> kTakenFor{0.5, 0.5, 0.5};
constexpr double kOneStroke = 0.045;  // seconds
// By drum: the bands it is told to be loud by.
constexpr std::array<std::array<std::size_t, 2>, kSongDrums> kLoudBands{
    {{0, 4}, {4, 12}, {13, kSongBands}}};

using SongLevels = std::vector<std::array<float, kSongBands>>;

struct SongPicture {
    double hop = kSongHop;                            // seconds, whole frames
    SongLevels mid;                                   // dB of the sum of both sides
    std::vector<std::array<float, kSongSides>> side;  // dB of the difference against it, by two
};

double songEdge(std::size_t band) {
    return kSongLowest * std::pow(kSongHighest / kSongLowest,
                                  static_cast<double>(band) / static_cast<double>(kSongBands));
}

SongPicture songPictureOf(std::span<const std::span<const float>> channels, double rate,
                          const Progress& progress) {
    int length = 256;
    while (length < static_cast<int>(kSongLook * rate)) length *= 2;
    const auto hop = static_cast<std::size_t>(std::lround(kSongHop * rate));
    const std::size_t frames = channels[0].size();
    RealFft fft(length);
    std::vector<float> window(static_cast<std::size_t>(length));
    for (int i = 0; i < length; ++i)
        window[static_cast<std::size_t>(i)] =
            static_cast<float>(0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * (i + 0.5) / length));
    std::array<std::size_t, kSongBands + 1> bins{};
    for (std::size_t b = 0; b <= kSongBands; ++b) {
        const auto at = static_cast<std::size_t>(std::lround(songEdge(b) / rate * length));
        bins[b] = std::min(b == 0 ? std::max<std::size_t>(1, at) : std::max(bins[b - 1] + 1, at),
                           static_cast<std::size_t>(length / 2));
    }
    SongPicture out;
    out.hop = static_cast<double>(hop) / rate;
    const std::size_t count = frames / hop + 1;
    out.mid.resize(count);
    out.side.resize(count);
    for (std::size_t n = 0; n < count; ++n) {
        if (n % 4096 == 0)
            report(progress, static_cast<double>(n) / static_cast<double>(count), "the song");
        std::array<std::array<double, kSongBands>, 2> power{};
        for (std::size_t which = 0; which < std::min<std::size_t>(2, channels.size()); ++which) {
            const auto time = fft.time();
            for (std::size_t i = 0; i < window.size(); ++i) {
                // Centred, a little late: what begins at a frame lies inside its window.
                const auto at = static_cast<std::ptrdiff_t>(n * hop + i) - length / 2;
                float v = 0.0F;
                if (at >= 0 && at < std::ssize(channels[0])) {
                    const auto k = static_cast<std::size_t>(at);
                    const float left = channels[0][k],
                                right = channels.size() > 1 ? channels[1][k] : left;
                    v = which == 0 ? 0.5F * (left + right) : 0.5F * (left - right);
                }
                time[i] = window[i] * v;
            }
            const auto spectrum = fft.forward();
            for (std::size_t b = 0; b < kSongBands; ++b) {
                for (std::size_t k = bins[b]; k < bins[b + 1]; ++k)
                    power[which][b] += static_cast<double>(std::norm(spectrum[k]));
            }
        }
        for (std::size_t b = 0; b < kSongBands; ++b)
            out.mid[n][b] = static_cast<float>(10.0 * std::log10(power[0][b] + 1e-12));
        for (std::size_t b = 0; b < kSongSides; ++b) {
            const double mid = power[0][2 * b] + power[0][2 * b + 1],
                         side = power[1][2 * b] + power[1][2 * b + 1];
            out.side[n][b] = static_cast<float>(10.0 * std::log10((side + 1e-12) / (mid + 1e-12)));
        }
    }
    return out;
}

// Every band against its own usual level in this song, and nothing far under its loudest.
void relateToUsual(SongLevels& levels) {
    std::vector<float> all(levels.size());
    for (std::size_t b = 0; b < kSongBands; ++b) {
        for (std::size_t n = 0; n < levels.size(); ++n) all[n] = levels[n][b];
        const auto loud = all.end() - 1 - static_cast<std::ptrdiff_t>(all.size() / 200);
        std::nth_element(all.begin(), loud, all.end());
        const float top = *loud, floor = top + static_cast<float>(kSongNothingDb);
        for (auto& frame : levels) frame[b] = std::max(frame[b], floor) - top;
    }
}

// By frame: mean rise over low, middle and high bands, dB.
std::vector<std::array<float, 3>> risesOf(const SongLevels& levels) {
    std::vector<std::array<float, 3>> out(levels.size());
    for (std::size_t n = kRiseBack; n < levels.size(); ++n) {
        const auto &now = levels[n], &before = levels[n - kRiseBack];
        for (std::size_t b = 0; b < kSongBands; ++b) {
            float past = before[b];
            if (b > 0) past = std::max(past, before[b - 1] - 6.0F);
            if (b + 1 < kSongBands) past = std::max(past, before[b + 1] - 6.0F);
            const std::size_t range = b < kLowBands ? 0 : b < kMidBands ? 1 : 2;
            const float width = range == 0   ? kLowBands
                                : range == 1 ? kMidBands - kLowBands
                                             : static_cast<float>(kSongBands) - kMidBands;
            out[n][range] += std::max(0.0F, now[b] - past) / width;
        }
    }
    return out;
}

}  // namespace

std::vector<SongMoment> songMoments(std::span<const std::span<const float>> channels,
                                    double sampleRate, const Progress& progress) {
    std::vector<SongMoment> out;
    if (channels.empty() || channels[0].empty()) return out;
    SongPicture picture = songPictureOf(channels, sampleRate, progress);
    relateToUsual(picture.mid);
    const auto rises = risesOf(picture.mid);
    const auto count = static_cast<int>(rises.size());
    // The strongest of its surroundings in any range; strongest first where they are close.
    struct Peak {
        int frame = 0;
        float rise = 0.0F;
    };
    std::vector<Peak> peaks;
    for (int n = kRiseBack; n < count; ++n) {
        const auto strength = [&](int at) {
            const auto& r = rises[static_cast<std::size_t>(at)];
            return r[0] + r[1] + r[2];
        };
        for (std::size_t range = 0; range < 3; ++range) {
            const float here = rises[static_cast<std::size_t>(n)][range];
            if (here < static_cast<float>(kLeastRiseDb)) continue;
            bool top = true;
            for (int k = std::max(0, n - 3); k <= std::min(count - 1, n + 3) && top; ++k)
                top = rises[static_cast<std::size_t>(k)][range] < here || k == n ||
                      (rises[static_cast<std::size_t>(k)][range] == here && k > n);
            if (!top) continue;
            peaks.push_back({n, strength(n)});
            break;
        }
    }
    std::stable_sort(peaks.begin(), peaks.end(),
                     [](const Peak& a, const Peak& b) { return a.rise > b.rise; });
    std::vector<bool> taken(static_cast<std::size_t>(count), false);
    std::vector<int> frames;
    for (const Peak& p : peaks) {
        bool free = true;
        for (int k = std::max(0, p.frame - kMomentsApart);
             k <= std::min(count - 1, p.frame + kMomentsApart); ++k)
            free = free && !taken[static_cast<std::size_t>(k)];
        if (!free) continue;
        taken[static_cast<std::size_t>(p.frame)] = true;
        frames.push_back(p.frame);
    }
    std::sort(frames.begin(), frames.end());
    for (const int n : frames) {
        SongMoment moment;
        moment.time = std::max(0.0, (n - 1) * picture.hop);
        std::size_t at = 0;
        for (const int offset : kSongOffsets) {
            const auto& levels =
                picture.mid[static_cast<std::size_t>(std::clamp(n + offset, 0, count - 1))];
            for (const float db : levels) moment.x[at++] = std::max(-2.0F, db / 20.0F) + 1.0F;
        }
        for (std::size_t b = 0; b < kSongSides; ++b) {
            float widest = -30.0F;
            for (int k = 0; k <= 4; k += 2)
                widest = std::max(
                    widest, picture.side[static_cast<std::size_t>(std::min(count - 1, n + k))][b]);
            moment.x[at++] = widest / 20.0F;
        }
        out.push_back(moment);
    }
    return out;
}

std::array<double, kSongDrums> songLikely(const SongMoment& moment) {
    std::array<double, kSongDrums> out{};
    for (std::size_t d = 0; d < kSongDrums; ++d) out[d] = kSongOutputs[d][kSongHidden];
    for (std::size_t h = 0; h < kSongHidden; ++h) {
        double sum = kSongInner[h][kSongInputs];
        for (std::size_t i = 0; i < kSongInputs; ++i)
            sum += static_cast<double>(kSongInner[h][i]) * static_cast<double>(moment.x[i]);
        const double y = std::tanh(sum);
        for (std::size_t d = 0; d < kSongDrums; ++d)
            out[d] += static_cast<double>(kSongOutputs[d][h]) * y;
    }
    for (double& p : out) p = 1.0 / (1.0 + std::exp(-p));
    return out;
}

namespace {

// How loud a drum is at a moment, dB: just behind it, where it is loudest.
double loudAt(const SongMoment& moment, std::size_t drum) {
    constexpr std::size_t kFrom = 2, kTo = 5;  // places in kSongOffsets
    double loudest = -200.0;
    for (std::size_t step = kFrom; step < kTo; ++step) {
        double sum = 0.0;
        const auto [low, high] = kLoudBands[drum];
        for (std::size_t b = low; b < high; ++b)
            sum += gainFromDb(20.0 * (static_cast<double>(moment.x[step * kSongBands + b]) - 1.0));
        loudest = std::max(loudest, dbFromGain(sum));
    }
    return loudest;
}

}  // namespace

std::vector<Stroke> findSongStrokes(std::span<const std::span<const float>> channels,
                                    double sampleRate, const Progress& progress) {
    static constexpr std::array<const char*, kSongDrums> kSongDrumIds{"kick", "snare", "hihat"};
    std::vector<Stroke> out;
    const auto moments = songMoments(channels, sampleRate, progress);
    for (std::size_t d = 0; d < kSongDrums; ++d) {
        std::vector<Stroke> strokes;
        for (const SongMoment& m : moments) {
            const double likely = songLikely(m)[d];
            if (likely < kTakenFor[d]) continue;
            Stroke stroke;
            stroke.time = m.time;
            stroke.drum = kSongDrumIds[d];
            stroke.confidence = likely;
            stroke.levelDb = loudAt(m, d);
            if (!strokes.empty() && stroke.time - strokes.back().time < kOneStroke) {
                if (stroke.confidence > strokes.back().confidence) strokes.back() = stroke;
                continue;
            }
            strokes.push_back(std::move(stroke));
        }
        std::vector<double> levels;
        levels.reserve(strokes.size());
        for (const Stroke& s : strokes) levels.push_back(s.levelDb);
        const double accents = strokes.empty() ? 0.0 : accentLevel(std::move(levels));
        std::vector<Stroke*> all;
        for (Stroke& s : strokes) {
            s.levelDb -= accents;
            s.velocity = velocityFromLevel(s.levelDb);
            all.push_back(&s);
        }
        sortIntoKinds(all);
        out.insert(out.end(), strokes.begin(), strokes.end());
    }
    sortByTime(out);
    return out;
}

}  // namespace ember
