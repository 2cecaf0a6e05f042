#include "core/library/sound_features.h"

#include "core/base/fft.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace ember {
namespace {

constexpr int kFft = 8192;
constexpr double kLowest = 40.0;
constexpr float kFloor = -60.0F;
constexpr std::array<double, kSoundStretches + 1> kEdges{0.0, 0.012, 0.05, 0.2, 0.8};
constexpr float kUnheard = kFloor + 10.0F;
constexpr double kCourse = 0.5, kStranger = 900.0;

// Power of a stretch by bins, with as much of a window as keeps its beginning.
std::vector<double> powerOf(std::span<const float> samples, RealFft& fft) {
    std::vector<double> out(kFft / 2 + 1, 0.0);
    for (std::size_t from = 0; from < samples.size(); from += kFft) {
        const auto part = samples.subspan(from, std::min<std::size_t>(kFft, samples.size() - from));
        const auto time = fft.time();
        std::fill(time.begin(), time.end(), 0.0F);
        const double n = static_cast<double>(part.size());
        for (std::size_t i = 0; i < part.size(); ++i) {
            const double place = (static_cast<double>(i) + 0.5) / n;
            time[i] = static_cast<float>(part[i] *
                                         (0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * place)));
        }
        const auto bins = fft.forward();
        for (std::size_t k = 0; k < out.size(); ++k) out[k] += std::norm(bins[k]);
    }
    return out;
}

// Power in bands, smoothed so wide that a stretch too short for twelve bands an octave still has a
// value in each.
std::array<float, kSoundBands> bandsOf(const std::vector<double>& power, double rate,
                                       double seconds) {
    std::vector<double> sums(power.size() + 1, 0.0);
    for (std::size_t k = 0; k < power.size(); ++k) sums[k + 1] = sums[k] + power[k];
    const double width = rate / kFft;
    std::array<double, kSoundBands> level{};
    double most = 0.0;
    for (int b = 0; b < kSoundBands; ++b) {
        const double centre = kLowest * std::exp2(b / 12.0);
        const double half =
            std::max({centre * (std::exp2(1.0 / 12.0) - 1.0), 0.75 / seconds, width});
        const double low = std::max(0.0, centre - half) / width,
                     high =
                         std::min(static_cast<double>(power.size() - 1), (centre + half) / width);
        const auto first = static_cast<std::size_t>(low), last = static_cast<std::size_t>(high) + 1;
        if (first >= power.size()) continue;
        const double sum = sums[std::min(last, power.size())] - sums[first];
        // As much as an ear-wide band would hold: density times its width.
        level[static_cast<std::size_t>(b)] = sum / static_cast<double>(last - first) * centre;
        most = std::max(most, level[static_cast<std::size_t>(b)]);
    }
    std::array<float, kSoundBands> out{};
    for (std::size_t b = 0; b < out.size(); ++b)
        out[b] =
            most > 0.0
                ? std::max(kFloor,
                           static_cast<float>(10.0 * std::log10(std::max(1e-30, level[b] / most))))
                : kFloor;
    return out;
}

// Highest levels in steps of a millisecond.
std::vector<double> envelopeOf(std::span<const float> samples, double rate) {
    const auto step = static_cast<std::size_t>(std::max(1.0, rate / 1000.0));
    std::vector<double> out;
    for (std::size_t at = 0; at < samples.size(); at += step) {
        double most = 0.0;
        for (std::size_t i = at; i < std::min(samples.size(), at + step); ++i)
            most = std::max(most, std::abs<double>(samples[i]));
        out.push_back(most);
    }
    return out;
}

double strongest(const std::vector<double>& power, double rate, double low, double high,
                 double* stands) {
    const double width = rate / kFft;
    double most = 0.0, sum = 0.0, at = 0.0;
    int count = 0;
    for (auto k = static_cast<std::size_t>(low / width);
         k < power.size() && static_cast<double>(k) * width < high; ++k) {
        sum += power[k];
        ++count;
        if (power[k] > most) {
            most = power[k];
            at = static_cast<double>(k) * width;
        }
    }
    if (stands != nullptr) *stands = sum > 0.0 ? most * count / sum : 0.0;
    return at;
}

SoundHint hintOf(std::span<const float> samples, double rate, const SoundFeatures& f) {
    int flat = 0, run = 0;
    float most = 0.0F;
    for (const float x : samples) most = std::max(most, std::abs(x));
    for (std::size_t i = 1; i < samples.size(); ++i) {
        run = std::abs(samples[i]) >= 0.999F * most && samples[i] == samples[i - 1] ? run + 1 : 0;
        flat += run == 3 ? 1 : 0;
    }
    if (flat > 0) return SoundHint::clipped;
    if (f.crestDb < 9.0 && f.decayMs > 30.0 && f.noisiness > 0.1) return SoundHint::pressed;
    // A tail that falls late and slowly behind a body that fell fast.
    const auto level = [&](double from, double to) {
        double sum = 1e-12;
        const auto a = std::min(samples.size(), static_cast<std::size_t>(from * rate)),
                   b = std::min(samples.size(), static_cast<std::size_t>(to * rate));
        for (std::size_t i = a; i < b; ++i) sum += static_cast<double>(samples[i]) * samples[i];
        return 10.0 * std::log10(sum / std::max<double>(1.0, static_cast<double>(b - a)));
    };
    if (f.seconds < 0.45) return SoundHint::none;
    const double early = level(0.0, 0.05) - level(0.1, 0.15),
                 late = level(0.2, 0.25) - level(0.35, 0.4);
    return early > 14.0 && late > 0.5 && late < 0.25 * early ? SoundHint::reverberant
                                                             : SoundHint::none;
}

}  // namespace

std::string_view toString(SoundHint hint) {
    switch (hint) {
        case SoundHint::clipped:
            return "clipped";
        case SoundHint::pressed:
            return "pressed";
        case SoundHint::reverberant:
            return "reverberant";
        case SoundHint::none:
            break;
    }
    return {};
}

SoundFeatures soundFeatures(std::span<const float> samples, double sampleRate) {
    SoundFeatures out;
    for (auto& stretch : out.picture) stretch.fill(kFloor);
    out.course.fill(kFloor);
    float most = 0.0F;
    for (const float x : samples) most = std::max(most, std::abs(x));
    if (!(most > 1e-6F) || !std::isfinite(most)) return out;
    const auto begin = std::find_if(samples.begin(), samples.end(),
                                    [&](float x) { return std::abs(x) >= 0.03F * most; });
    const auto rest = samples.subspan(static_cast<std::size_t>(begin - samples.begin()));
    const auto last = std::find_if(rest.rbegin(), rest.rend(),
                                   [&](float x) { return std::abs(x) >= 0.001F * most; });
    const auto sound = rest.first(static_cast<std::size_t>(rest.rend() - last));
    out.seconds = static_cast<double>(sound.size()) / sampleRate;
    out.peakDb = dbFromGain(static_cast<double>(most));
    RealFft fft(kFft);
    std::vector<double> whole(kFft / 2 + 1, 0.0);
    std::array<double, kSoundStretches> levels{}, notes{};
    for (std::size_t s = 0; s < kSoundStretches; ++s) {
        const auto a = std::min(sound.size(), static_cast<std::size_t>(kEdges[s] * sampleRate)),
                   b = std::min(sound.size(), static_cast<std::size_t>(kEdges[s + 1] * sampleRate));
        if (b < a + 16) continue;
        const std::vector<double> power = powerOf(sound.subspan(a, b - a), fft);
        out.picture[s] = bandsOf(power, sampleRate, static_cast<double>(b - a) / sampleRate);
        double sum = 0.0;
        for (std::size_t i = a; i < b; ++i) sum += static_cast<double>(sound[i]) * sound[i];
        levels[s] = sum / static_cast<double>(b - a);
        notes[s] = strongest(power, sampleRate, 40.0, 1000.0, nullptr);
        for (std::size_t k = 0; k < whole.size(); ++k) whole[k] += power[k];
    }
    for (std::size_t s = 0; s < kSoundStretches; ++s) {
        if (levels[s] > 0.0 && levels[0] > 0.0)
            out.course[s] =
                std::max(kFloor, static_cast<float>(10.0 * std::log10(levels[s] / levels[0])));
    }
    double sum = 0.0, moment = 0.0, logs = 0.0;
    int count = 0;
    const double width = sampleRate / kFft;
    for (std::size_t k = 1; k < whole.size(); ++k) {
        sum += whole[k];
        moment += whole[k] * static_cast<double>(k) * width;
        if (static_cast<double>(k) * width < 16000.0) {
            logs += std::log(whole[k] + 1e-20);
            ++count;
        }
    }
    if (sum > 0.0 && count > 0) {
        out.brightnessHz = moment / sum;
        out.noisiness = std::min(1.0, std::exp(logs / count) / (sum / count));
    }
    double stands = 0.0;
    const double note = strongest(whole, sampleRate, 40.0, 1000.0, &stands);
    if (stands > 12.0 && out.brightnessHz < 4000.0) {
        out.fundamentalHz = note;
        if (notes[0] > 0.0 && notes[2] > 0.0)
            out.sweepSemitones = 12.0 * std::log2(notes[1] / notes[2]);
    }
    const std::vector<double> envelope = envelopeOf(sound, sampleRate);
    const auto peak = std::max_element(envelope.begin(), envelope.end());
    const auto rise =
        std::find_if(envelope.begin(), peak, [&](double x) { return x >= 0.1 * *peak; });
    const auto high =
        std::find_if(envelope.begin(), peak, [&](double x) { return x >= 0.9 * *peak; });
    out.attackMs = static_cast<double>(high - rise);
    auto below = peak;
    for (auto at = peak; at != envelope.end(); ++at) {
        if (*at > 0.1 * *peak) below = at;
    }
    out.decayMs = static_cast<double>(below - peak + 1);
    const auto energy = [&](double from, double to) {
        double e = 1e-20;
        for (auto i = static_cast<std::size_t>(from * sampleRate);
             i < std::min(sound.size(), static_cast<std::size_t>(to * sampleRate)); ++i)
            e += static_cast<double>(sound[i]) * sound[i];
        return e;
    };
    out.attackToBodyDb = 10.0 * std::log10(energy(0.0, 0.03) / energy(0.03, 0.3));
    const double length = std::min(0.25, out.seconds);
    out.crestDb =
        out.peakDb - 10.0 * std::log10(energy(0.0, length) / std::max(1.0, length * sampleRate));
    out.hint = hintOf(sound, sampleRate, out);
    return out;
}

double soundDistance(const SoundFeatures& a, const SoundFeatures& b) {
    // What tone control may have done in between: a shelf above one of these, of at most so much.
    constexpr std::array<double, 7> kCorners{0.0, 150.0, 400.0, 1000.0, 2500.0, 5000.0, 9000.0};
    constexpr double kMostShelf = 8.0;
    static const auto shelves = [&] {
        std::array<std::array<float, kSoundBands>, kCorners.size()> out{};
        for (std::size_t c = 1; c < kCorners.size(); ++c) {
            for (std::size_t band = 0; band < kSoundBands; ++band) {
                const double ratio =
                    kLowest * std::exp2(static_cast<double>(band) / 12.0) / kCorners[c];
                out[c][band] = static_cast<float>(ratio * ratio / (1.0 + ratio * ratio));
            }
        }
        return out;
    }();
    std::array<double, kCorners.size()> dd{}, dh{}, hh{};
    double bands = 0.0;
    for (std::size_t s = 0; s < kSoundStretches; ++s) {
        // Bands that neither holds say nothing; each stretch has a level of its own.
        double n = 0.0, sd = 0.0, sdd = 0.0;
        std::array<double, kCorners.size()> sh{}, shh{}, sdh{};
        for (std::size_t band = 0; band < kSoundBands; ++band) {
            const float x = a.picture[s][band], y = b.picture[s][band];
            if (x <= kUnheard && y <= kUnheard) continue;
            const double d = static_cast<double>(x - y);
            n += 1.0, sd += d, sdd += d * d;
            for (std::size_t c = 1; c < kCorners.size(); ++c) {
                const double h = static_cast<double>(shelves[c][band]);
                sh[c] += h, shh[c] += h * h, sdh[c] += d * h;
            }
        }
        if (n < 6.0) continue;
        bands += n;
        for (std::size_t c = 0; c < kCorners.size(); ++c) {
            dd[c] += sdd - sd * sd / n;
            hh[c] += shh[c] - sh[c] * sh[c] / n;
            dh[c] += sdh[c] - sd * sh[c] / n;
        }
    }
    double least = kStranger;
    for (std::size_t c = 0; c < kCorners.size() && bands > 0.0; ++c) {
        const double gain = hh[c] > 0.0 ? std::clamp(dh[c] / hh[c], -kMostShelf, kMostShelf) : 0.0;
        least = std::min(least, (dd[c] - 2.0 * gain * dh[c] + gain * gain * hh[c]) / bands);
    }
    double course = 0.0;
    for (std::size_t s = 1; s < kSoundStretches; ++s) {
        const double d = static_cast<double>(a.course[s] - b.course[s]);
        course += d * d / (kSoundStretches - 1);
    }
    return std::sqrt(std::max(0.0, least) + kCourse * course);
}

std::vector<SoundFeatures> transposedFeatures(std::span<const float> samples, double sampleRate) {
    constexpr int kMost = 10;  // halves of a semitone, either way
    std::vector<SoundFeatures> out;
    // Played at another rate it is higher or lower, and shorter or longer.
    for (int half = -kMost; half <= kMost; ++half)
        out.push_back(soundFeatures(samples, sampleRate * std::exp2(half / 24.0)));
    return out;
}

double soundDistance(std::span<const SoundFeatures> transposed, const SoundFeatures& other) {
    double best = INFINITY;
    for (const SoundFeatures& f : transposed) best = std::min(best, soundDistance(f, other));
    return best;
}

}  // namespace ember
