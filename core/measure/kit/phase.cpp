#include "core/measure/kit/phase.h"

#include "core/base/fft.h"
#include "core/base/units.h"
#include "core/measure/strokes/clear_strokes.h"
#include "core/measure/strokes/onsets.h"

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

constexpr double kAhead = 0.002, kBody = 0.080;           // seconds of a stroke looked at
constexpr double kClusterSeconds = 60e-6;                 // arrivals that tell the same
constexpr double kEarliest = -0.004, kLatest = 0.025;     // delays looked for, seconds
constexpr double kAttack = 0.003;                         // the direct sound, in the reference
constexpr double kAttackLow = 600.0, kAttackHigh = 16e3;  // where its phases are compared, hertz
constexpr double kApart = 3e-4;                           // seconds: arrivals that are not the same
constexpr double kRival = 0.6;           // of the best agreement: another lag may be meant
constexpr double kSureAgreement = 0.15;  // under it, chance agrees as well
constexpr std::size_t kFewestArrivals = 3, kAlike = 3;  // one in so many has to tell the same
constexpr double kNoEarlier = 3e-4;  // seconds; nobody hears a drum before its own microphone
constexpr double kSureCoherence = 0.5, kClearSign = 0.5;
constexpr int kSureStrokes = 5;
constexpr double kMetalHertz = 1000.0;  // hats and cymbals are judged above
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

// A stretch of sound with raised-cosine ends, in frames; `at` is where it lies in the transform.
struct Stretch {
    Frames frames = 0, in = 0, out = 0, at = 0;
};

void spectrum(RealFft& fft, const MicSignal& mic, std::size_t channel, Frames from,
              const Stretch& stretch, Bins& out) {
    const auto time = fft.time();
    std::fill(time.begin(), time.end(), 0.0F);
    const auto ramp = [](Frames i, Frames frames) {
        return 0.5 - 0.5 * std::cos(std::numbers::pi * (static_cast<double>(i) + 0.5) /
                                    static_cast<double>(frames));
    };
    for (Frames i = 0; i < stretch.frames; ++i) {
        const Frames left = stretch.frames - 1 - i;
        double w = 1.0;
        if (i < stretch.in) w = ramp(i, stretch.in);
        if (left < stretch.out) w *= ramp(left, stretch.out);
        time[static_cast<std::size_t>(stretch.at + i)] =
            static_cast<float>(w) * mic.at(channel, from + i);
    }
    const auto bins = fft.forward();
    out.assign(bins.begin(), bins.end());
}

struct Place {
    const MicSignal* mic;
    std::size_t channel;
};

Cross cross(const Place& reference, const Place& other, const std::vector<ClearStroke>& strokes,
            double rate, double shift, RealFft& fft) {
    Cross out;
    const auto bins = static_cast<std::size_t>(fft.length()) / 2 + 1;
    out.xy.assign(bins, {});
    out.xx.assign(bins, 0.0);
    out.yy.assign(bins, 0.0);
    const auto frames = static_cast<Frames>((kBody + kAhead) * rate);
    const Stretch body{frames, frames / 10, frames / 2, 0};
    Bins x, y;
    for (const ClearStroke& s : strokes) {
        const auto from = static_cast<Frames>(std::llround((s.stroke.time - kAhead) * rate));
        spectrum(fft, *reference.mic, reference.channel, from, body, x);
        spectrum(fft, *other.mic, other.channel, from + static_cast<Frames>(std::llround(shift)),
                 body, y);
        for (std::size_t k = 0; k < bins; ++k) {
            out.xy[k] += std::conj(x[k]) * y[k];
            out.xx[k] += std::norm(x[k]);
            out.yy[k] += std::norm(y[k]);
        }
    }
    return out;
}

struct Lag {
    double delay = 0.0;      // samples
    double agreement = 0.0;  // 0..1, of the phases at that delay
    int sign = 0;            // of the direct sound there; 0: not compared
    bool sure = false;
};

// The lag at which the phases of the attacks agree most; between samples where their sum is
// longest, whichever way it points: treble that is lost on the way turns phases, and would make the
// sound seem later than it arrives. Only the reference's first milliseconds are compared with what
// the other microphone hears: later sound leaves other parts of the drum, and would tell their
// distance. Every stroke counts the same, however loud. Sure where no other lag is nearly as good.
Lag agreedDelay(const Place& reference, const Place& other, const std::vector<Frames>& starts,
                double rate) {
    const auto frames = [&](double seconds) { return static_cast<Frames>(seconds * rate); };
    RealFft fft(lengthFor(kLatest - kEarliest + 4.0 * kAttack, rate));
    const int length = fft.length();
    const Frames lead = frames(-kEarliest), attack = frames(kAttack);
    const Stretch first{attack, attack / 4, attack / 2, lead},
        all{lead + frames(kLatest) + 2 * attack, lead / 2, attack, 0};
    Bins x, y, sum(static_cast<std::size_t>(length / 2 + 1));
    std::vector<double> xx(sum.size(), 0.0), yy(sum.size(), 0.0);
    const auto energy = [](const Bins& bins) {
        double e = 1e-30;
        for (const auto& b : bins) e += std::norm(b);
        return e;
    };
    for (const Frames start : starts) {
        const Frames from = start - attack / 4;
        spectrum(fft, *reference.mic, reference.channel, from, first, x);
        spectrum(fft, *other.mic, other.channel, from - lead, all, y);
        const double ex = energy(x), ey = energy(y);
        for (std::size_t k = 0; k < sum.size(); ++k) {
            sum[k] += std::conj(x[k]) * y[k] / std::sqrt(ex * ey);
            xx[k] += std::norm(x[k]) / ex;
            yy[k] += std::norm(y[k]) / ey;
        }
    }
    const double width = rate / length;
    const auto low = static_cast<std::size_t>(kAttackLow / width),
               high = std::min(sum.size() - 1, static_cast<std::size_t>(kAttackHigh / width));
    for (std::size_t k = low; k <= high; ++k) sum[k] /= std::sqrt(xx[k] * yy[k]) + 1e-30;
    const auto phases = [&](double lag) {
        const double unit = 2.0 * std::numbers::pi * lag / length;
        const std::complex<double> turn = std::polar(1.0, unit);
        std::complex<double> now = std::polar(1.0, unit * static_cast<double>(low)), total;
        for (std::size_t k = low; k <= high; ++k) {
            total += sum[k] * now;
            now *= turn;
        }
        return total / static_cast<double>(high - low + 1);
    };
    Lag best{0.0, -1.0, 0, false};
    std::vector<double> agreements;  // at every whole lag looked at
    for (Frames n = frames(kEarliest); n <= frames(kLatest); ++n) {
        const double real = phases(static_cast<double>(n)).real();
        agreements.push_back(std::abs(real));
        if (agreements.back() > best.agreement)
            best = {static_cast<double>(n), agreements.back(), real < 0.0 ? -1 : 1, false};
    }
    const double whole = best.delay;
    double rival = 0.0, longest = 0.0;
    for (std::size_t i = 0; i < agreements.size(); ++i) {
        const double lag = static_cast<double>(frames(kEarliest)) + static_cast<double>(i);
        if (std::abs(lag - whole) > kApart * rate) rival = std::max(rival, agreements[i]);
    }
    for (int n = -40; n <= 40; ++n) {
        if (const double l = std::abs(phases(whole + 0.05 * n)); l > longest) {
            longest = l;
            best.delay = whole + 0.05 * n;
        }
    }
    best.sure = rival < kRival * best.agreement && best.agreement > kSureAgreement &&
                starts.size() >= kFewestArrivals;
    return best;
}

// The difference between the first samples of the strokes that most of them tell alike. For two
// microphones at one drum, which hear other sides of it, so that their waves do not compare. In
// samples.
std::optional<Lag> arrivalDelay(const Place& other, const std::vector<Frames>& starts,
                                double rate) {
    std::vector<double> delays;
    const auto ms = static_cast<Frames>(rate * 1e-3);
    for (const Frames start : starts) {
        const Arrival a =
            findArrival(*other.mic, other.channel, rate, start - 3 * ms, start + 14 * ms);
        if (a.frame >= 0) delays.push_back(static_cast<double>(a.frame - start));
    }
    if (delays.size() < kFewestArrivals) return std::nullopt;
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
    return Lag{delays[from + count / 2], 0.0, 0, kAlike * count >= delays.size()};
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

// What is compared for one drum.
struct Job {
    const KitDrum* drum;
    std::vector<ClearStroke> strokes;
    int reference;
    std::vector<Frames> starts;  // first samples of the strokes in the reference
};

// In the channel of the other microphone that the drum reaches first.
Lag delayOf(const KitMics& kit, const Job& job, const Place& reference, const Place& other) {
    const int m = micIndex(kit, other.mic->id);
    const std::vector<int>& own = job.drum->mics;
    const auto isOwn = [&](int mic) { return std::find(own.begin(), own.end(), mic) != own.end(); };
    if (isOwn(m)) {
        if (const auto heard = arrivalDelay(other, job.starts, kit.sampleRate)) return *heard;
    }
    Lag best = agreedDelay(reference, other, job.starts, kit.sampleRate);
    for (std::size_t c = 0; c < other.mic->channels.size(); ++c) {
        if (c == other.channel) continue;
        const Lag h = agreedDelay(reference, {other.mic, c}, job.starts, kit.sampleRate);
        if (h.delay < best.delay && h.agreement > 0.5 * best.agreement) best = h;
    }
    if (isOwn(job.reference) && best.delay < -kNoEarlier * kit.sampleRate) best.sure = false;
    return best;
}

PhasePair readPair(const KitMics& kit, const Job& job, const Place& reference, const Place& other) {
    const double rate = kit.sampleRate;
    const KitDrum& drum = *job.drum;
    const std::vector<ClearStroke>& strokes = job.strokes;
    const bool same = other.mic == reference.mic;
    PhasePair out;
    out.drum = drum.id;
    out.mic = other.mic->id;
    out.reference = reference.mic->id;
    out.strokes = static_cast<int>(strokes.size());
    const Lag heard = same ? Lag{0.0, 1.0, 1, true} : delayOf(kit, job, reference, other);
    out.delaySamples = heard.delay;
    out.delaySure = heard.sure;
    RealFft fft(lengthFor(2.0 * kBody, rate));
    const double shift = std::round(out.delaySamples), rest = out.delaySamples - shift;
    const Cross body = cross(reference, other, strokes, rate, shift, fft);
    const double width = rate / fft.length();
    double most = -1.0, sign = 1.0, clear = 0.0;
    std::vector<Octave> octaves;
    for (const double hertz : kOctaves) {
        octaves.push_back(readOctave(body, hertz, width, shift, rest));
        const Octave& o = octaves.back();
        // What lies low in a cymbal's microphone is the kick.
        if (o.xx <= most || (isMetal(drum.id) && hertz < kMetalHertz)) continue;
        most = o.xx;
        out.mainHertz = hertz;
        const double both = std::sqrt(o.xx * o.yy) + 1e-30;
        out.coherence = o.magnitude / both;
        sign = o.real < 0.0 ? -1.0 : 1.0;
        clear = std::abs(o.real) / both;
    }
    out.coherence = std::min(out.coherence, 1.0);
    // Two witnesses: the body, well clear of a quarter turn, and the direct sound.
    const bool agree = heard.sign == 0 || heard.sign == static_cast<int>(sign);
    const bool sure = heard.sure && agree && out.coherence > kSureCoherence && clear > kClearSign &&
                      out.strokes >= kSureStrokes;
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
    std::vector<Job> jobs;
    for (const KitDrum& drum : kit.drums) {
        std::vector<ClearStroke> strokes = clearStrokes(all, drum.id);
        const int reference = timingMic(kit, drum);
        if (strokes.empty() || reference < 0) continue;
        Job job{&drum, std::move(strokes), reference, {}};
        const Place place{&kit.mics[static_cast<std::size_t>(reference)],
                          louderChannel(kit, reference, job.strokes)};
        const auto ms = static_cast<Frames>(kit.sampleRate * 1e-3);
        for (const ClearStroke& s : job.strokes) {
            const auto at = static_cast<Frames>(std::llround(s.stroke.time * kit.sampleRate));
            const Arrival a =
                findArrival(*place.mic, place.channel, kit.sampleRate, at - ms, at + ms);
            if (a.frame >= 0) job.starts.push_back(a.frame);
        }
        if (!job.starts.empty()) jobs.push_back(std::move(job));
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
        out[i] = readPair(kit, job, place(job.reference), place(m));
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
