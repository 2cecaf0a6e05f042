#include "core/measure/phase.h"

#include "core/base/fft.h"
#include "core/base/units.h"
#include "core/measure/clear_strokes.h"
#include "core/measure/onsets.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <map>
#include <numbers>
#include <optional>

namespace ember {
namespace {

constexpr double kBefore = 0.002, kBody = 0.080;  // seconds of a stroke looked at
constexpr double kOnset = 0.018;
constexpr double kClusterSeconds = 60e-6, kAgree = 0.35;  // arrivals that tell the same
constexpr double kEarliest = -0.004, kLatest = 0.022;     // delays looked for, seconds
constexpr double kSureCoherence = 0.5;
constexpr int kSureStrokes = 8;
constexpr std::array<double, 7> kOctaves{63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0};

using Bins = std::vector<std::complex<double>>;

// Sums over strokes.
struct Cross {
    Bins xy;
    std::vector<double> xx, yy;
};

int lengthFor(double seconds, double rate) {
    int length = 256;
    while (length < static_cast<int>(seconds * rate)) length *= 2;
    return length;
}

// Spectrum of a stretch, faded in over the first tenth and out over the last half.
void spectrum(RealFft& fft, const MicSignal& mic, std::size_t channel, Frames from, Frames frames,
              Bins& out) {
    const auto time = fft.time();
    std::fill(time.begin(), time.end(), 0.0F);
    const Frames in = frames / 10, half = frames / 2;
    for (Frames i = 0; i < frames; ++i) {
        double w = 1.0;
        if (i < in)
            w = 0.5 - 0.5 * std::cos(std::numbers::pi * (static_cast<double>(i) + 0.5) /
                                     static_cast<double>(in));
        if (i >= half)
            w = 0.5 + 0.5 * std::cos(std::numbers::pi * static_cast<double>(i - half) /
                                     static_cast<double>(half));
        time[static_cast<std::size_t>(i)] = static_cast<float>(w) * mic.at(channel, from + i);
    }
    const auto bins = fft.forward();
    out.resize(bins.size());
    for (std::size_t k = 0; k < bins.size(); ++k)
        out[k] = {static_cast<double>(bins[k].real()), static_cast<double>(bins[k].imag())};
}

struct Place {
    const MicSignal* mic;
    std::size_t channel;
};

Cross cross(const Place& reference, const Place& other, const std::vector<ClearStroke>& strokes,
            double rate, double seconds, double shift, RealFft& fft) {
    Cross out;
    const auto bins = static_cast<std::size_t>(fft.length() / 2 + 1);
    out.xy.assign(bins, {});
    out.xx.assign(bins, 0.0);
    out.yy.assign(bins, 0.0);
    const auto frames = static_cast<Frames>((seconds + kBefore) * rate);
    Bins x, y;
    for (const ClearStroke& s : strokes) {
        const auto from = static_cast<Frames>(std::llround((s.stroke.time - kBefore) * rate));
        spectrum(fft, *reference.mic, reference.channel, from, frames, x);
        spectrum(fft, *other.mic, other.channel, from + static_cast<Frames>(std::llround(shift)),
                 frames, y);
        for (std::size_t k = 0; k < bins; ++k) {
            out.xy[k] += std::conj(x[k]) * y[k];
            out.xx[k] += std::norm(x[k]);
            out.yy[k] += std::norm(y[k]);
        }
    }
    return out;
}

// The lag at which the phases of the strokes agree most, in samples; between samples by evaluating
// the weighted phase sum there.
double agreedDelay(const Place& reference, const Place& other,
                   const std::vector<ClearStroke>& strokes, double rate) {
    RealFft fft(lengthFor(2.0 * (kOnset + kLatest), rate));
    const int length = fft.length();
    const Cross c = cross(reference, other, strokes, rate, kOnset + kLatest, 0.0, fft);
    const double width = rate / length;
    std::vector<std::complex<double>> phase;
    std::size_t first = 0;
    for (std::size_t k = 0; k < c.xy.size(); ++k) {
        const double hertz = static_cast<double>(k) * width;
        if (hertz < 300.0) {
            first = k + 1;
            continue;
        }
        if (hertz > 16000.0) break;
        const double magnitude = std::abs(c.xy[k]);
        const double coherence = magnitude * magnitude / (c.xx[k] * c.yy[k] + 1e-30);
        phase.push_back(magnitude > 0.0 ? c.xy[k] / magnitude * (coherence * coherence) : 0.0);
    }
    const auto agreement = [&](double lag) {
        const double unit = 2.0 * std::numbers::pi * lag / length;
        const std::complex<double> turn = std::polar(1.0, unit);
        std::complex<double> now = std::polar(1.0, unit * static_cast<double>(first));
        double sum = 0.0;
        for (const auto& p : phase) {
            sum += (p * now).real();
            now *= turn;
        }
        return std::abs(sum);
    };
    double best = -1.0, lag = 0.0;
    for (int n = static_cast<int>(kEarliest * rate); n <= static_cast<int>(kLatest * rate); ++n) {
        if (const double a = agreement(n); a > best) {
            best = a;
            lag = n;
        }
    }
    double fine = lag;
    for (double d = -0.75; d <= 0.75; d += 0.05) {
        if (const double a = agreement(lag + d); a > best) {
            best = a;
            fine = lag + d;
        }
    }
    return fine;
}

// The difference between the first samples of the strokes, where most strokes tell the same: what
// arrives first came the direct way, whatever the drum radiates later and from elsewhere. In
// samples.
std::optional<double> arrivalDelay(const Place& reference, const Place& other,
                                   const std::vector<ClearStroke>& strokes, double rate,
                                   double agree) {
    std::vector<double> delays;
    const auto ms = static_cast<Frames>(rate * 1e-3);
    for (const ClearStroke& s : strokes) {
        const auto at = static_cast<Frames>(std::llround(s.stroke.time * rate));
        const Arrival a = findArrival(*reference.mic, reference.channel, rate, at - ms, at + ms);
        const Arrival b = findArrival(*other.mic, other.channel, rate, at - 3 * ms, at + 14 * ms);
        if (a.frame >= 0 && b.frame >= 0) delays.push_back(static_cast<double>(b.frame - a.frame));
    }
    if (delays.size() < 3) return std::nullopt;
    std::sort(delays.begin(), delays.end());
    // The densest cluster.
    const double width = kClusterSeconds * rate;
    std::size_t from = 0, count = 0;
    for (std::size_t i = 0, k = 0; i < delays.size(); ++i) {
        while (k < delays.size() && delays[k] - delays[i] <= width) ++k;
        if (k - i > count) {
            count = k - i;
            from = i;
        }
    }
    if (static_cast<double>(count) < agree * static_cast<double>(delays.size()))
        return std::nullopt;
    return delays[from + count / 2];
}

struct Octave {
    double xx = 0.0, yy = 0.0, magnitude = 0.0, real = 0.0, asRecorded = 0.0;
};

// `shift`: samples by which y was read later already; `rest`: what remains of the delay.
Octave readOctave(const Cross& c, double hertz, double width, double shift, double rest) {
    Octave o;
    const double low = hertz / std::numbers::sqrt2, high = hertz * std::numbers::sqrt2;
    for (auto k = static_cast<std::size_t>(std::ceil(low / width));
         k < c.xy.size() && static_cast<double>(k) * width < high; ++k) {
        const double turn = 2.0 * std::numbers::pi * static_cast<double>(k) /
                            (2.0 * static_cast<double>(c.xy.size() - 1));
        o.xx += c.xx[k];
        o.yy += c.yy[k];
        o.magnitude +=
            std::norm(c.xy[k]) / (c.xx[k] * c.yy[k] + 1e-30) * std::sqrt(c.xx[k] * c.yy[k]);
        o.real += (c.xy[k] * std::polar(1.0, turn * rest)).real();
        o.asRecorded += (c.xy[k] * std::polar(1.0, -turn * shift)).real();
    }
    return o;
}

PhasePair readPair(const KitMics& kit, const KitDrum& drum, const Place& reference,
                   const Place& other, const std::vector<ClearStroke>& strokes, bool same) {
    const double rate = kit.sampleRate;
    PhasePair out;
    out.drum = drum.id;
    out.mic = other.mic->id;
    out.reference = reference.mic->id;
    out.strokes = static_cast<int>(strokes.size());
    if (!same) {
        // Two microphones at one drum hear other sides of it: only the first samples compare.
        const int m = micIndex(kit, other.mic->id);
        const bool own = std::find(drum.mics.begin(), drum.mics.end(), m) != drum.mics.end();
        const auto arrival = arrivalDelay(reference, other, strokes, rate, own ? 0.0 : kAgree);
        out.delaySamples = arrival ? *arrival : agreedDelay(reference, other, strokes, rate);
    }
    RealFft fft(lengthFor(2.0 * kBody, rate));
    const double shift = std::round(out.delaySamples), rest = out.delaySamples - shift;
    const Cross body = cross(reference, other, strokes, rate, kBody, shift, fft);
    const double width = rate / fft.length();
    double most = -1.0, sign = 1.0;
    std::vector<Octave> octaves;
    for (const double hertz : kOctaves) {
        octaves.push_back(readOctave(body, hertz, width, shift, rest));
        const Octave& o = octaves.back();
        if (o.xx <= most) continue;
        most = o.xx;
        out.mainHertz = hertz;
        out.coherence = o.magnitude / (std::sqrt(o.xx * o.yy) + 1e-30);
        sign = o.real < 0.0 ? -1.0 : 1.0;
    }
    out.coherence = std::min(out.coherence, 1.0);
    const bool sure = out.coherence > kSureCoherence && out.strokes >= kSureStrokes;
    out.polarity = same ? 1 : (sure ? static_cast<int>(sign) : 0);
    for (std::size_t i = 0; i < kOctaves.size(); ++i) {
        const Octave& o = octaves[i];
        const double ideal = o.xx + o.yy + 2.0 * std::sqrt(o.xx * o.yy) + 1e-30;
        const auto level = [&](double real) {
            return 10.0 * std::log10(std::max(o.xx + o.yy + 2.0 * real, 1e-9 * ideal) / ideal);
        };
        out.bands.push_back({kOctaves[i], level(o.asRecorded), level(sign * o.real)});
    }
    return out;
}

double peakAround(const KitMics& kit, const Place& place, const std::vector<ClearStroke>& strokes) {
    std::vector<float> peaks;
    for (const ClearStroke& s : strokes) {
        const auto at = static_cast<Frames>(s.stroke.time * kit.sampleRate);
        float peak = 0.0F;
        for (Frames i = at; i < at + static_cast<Frames>(0.03 * kit.sampleRate); ++i)
            peak = std::max(peak, std::abs(place.mic->at(place.channel, i)));
        peaks.push_back(peak);
    }
    std::nth_element(peaks.begin(), peaks.begin() + static_cast<std::ptrdiff_t>(peaks.size() / 2),
                     peaks.end());
    return dbFromGain(static_cast<double>(peaks[peaks.size() / 2]));
}

}  // namespace

std::vector<PhasePair> measurePhase(const KitMics& kit, const KitStrokes& all,
                                    const Progress& progress) {
    struct Job {
        const KitDrum* drum;
        std::vector<ClearStroke> strokes;
        int reference;
    };
    std::vector<Job> jobs;
    for (const KitDrum& drum : kit.drums) {
        std::vector<ClearStroke> strokes = clearStrokes(all, drum.id);
        const int reference = timingMic(kit, drum);
        if (!strokes.empty() && reference >= 0)
            jobs.push_back({&drum, std::move(strokes), reference});
    }
    std::vector<PhasePair> out(jobs.size() * kit.mics.size());
    report(progress, 0.0, "Measuring phase");
    tbb::parallel_for(std::size_t{0}, out.size(), [&](std::size_t i) {
        const Job& job = jobs[i / kit.mics.size()];
        const auto m = static_cast<int>(i % kit.mics.size());
        const auto place = [&](int mic) {
            return Place{&kit.mics[static_cast<std::size_t>(mic)],
                         louderChannel(kit, mic, job.strokes)};
        };
        out[i] = readPair(kit, *job.drum, place(job.reference), place(m), job.strokes,
                          m == job.reference);
        out[i].levelDb = peakAround(kit, place(m), job.strokes);
    });
    std::map<std::string, double> loudest;
    for (const PhasePair& p : out) {
        const auto [at, fresh] = loudest.try_emplace(p.mic, p.levelDb);
        if (!fresh) at->second = std::max(at->second, p.levelDb);
    }
    for (PhasePair& p : out) p.levelDb -= loudest[p.mic];
    report(progress, 1.0, "Measuring phase");
    return out;
}

}  // namespace ember
