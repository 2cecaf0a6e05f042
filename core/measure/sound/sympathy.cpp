#include "core/measure/sound/sympathy.h"

#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/measure/strokes/clear_strokes.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ember {
namespace {

constexpr double kWiresHertz = 2000.0;
constexpr int kFewestTimes = 4;
constexpr std::size_t kMost = 40;
constexpr double kSure = 0.25;  // of what is heard must be more than hi-hat and cymbals explain

struct TailSpan {
    double from, to;  // seconds after the stroke
};
constexpr TailSpan kHeadWindow{0.08, 0.35}, kWireWindow{0.015, 0.15};

// Power of one frequency in a Hann window (a single-bin transform).
double powerAt(const MicSignal& mic, double rate, double from, double to, double hertz) {
    const auto first = static_cast<Frames>(from * rate), last = static_cast<Frames>(to * rate);
    std::complex<double> sum = 0.0;
    double weight = 0.0;
    for (Frames i = first; i < last; ++i) {
        const double w =
            0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i - first) /
                                 static_cast<double>(last - first));
        const double angle = 2.0 * std::numbers::pi * hertz * static_cast<double>(i) / rate;
        sum += w * static_cast<double>(mic.at(0, i)) *
               std::complex<double>(std::cos(angle), -std::sin(angle));
        weight += w;
    }
    return weight > 0.0 ? std::norm(sum) / (weight * weight) : 0.0;
}

// Mean power above the wires' corner, by a two-pole difference that leaves the heads out.
double powerAbove(const MicSignal& mic, double rate, double from, double to) {
    const double w = 2.0 * std::numbers::pi * kWiresHertz / rate;
    const double alpha = std::sin(w) / std::sqrt(2.0), a0 = 1.0 + alpha;
    const double b0 = 0.5 * (1.0 + std::cos(w)) / a0, b1 = -(1.0 + std::cos(w)) / a0,
                 a1 = -2.0 * std::cos(w) / a0, a2 = (1.0 - alpha) / a0;
    double z1 = 0.0, z2 = 0.0, sum = 0.0;
    const auto first = static_cast<Frames>(from * rate), last = static_cast<Frames>(to * rate);
    const auto warm = static_cast<Frames>(0.005 * rate);
    for (Frames i = first - warm; i < last; ++i) {
        const double x = mic.at(0, i), y = b0 * x + z1;
        z1 = b1 * x - a1 * y + z2;
        z2 = b0 * x - a2 * y;
        if (i >= first) sum += y * y;
    }
    return sum / std::max<double>(1.0, static_cast<double>(last - first));
}

// Strokes of `drum` around which `other` is silent from `before` seconds before until the window
// has passed.
std::vector<double> without(const KitStrokes& all, const std::string& drum,
                            const std::string& other, double before, double after) {
    std::vector<double> out;
    for (const Stroke& s : all.strokes) {
        if (s.drum != drum || s.kind == StrokeKind::ghost) continue;
        const bool disturbed =
            std::any_of(all.strokes.begin(), all.strokes.end(), [&](const Stroke& o) {
                return o.drum == other && o.time > s.time - before && o.time < s.time + after;
            });
        if (!disturbed && out.size() < kMost) out.push_back(s.time);
    }
    return out;
}

// Strokes of hi-hat and cymbals with no head struck around them.
std::vector<double> metalAlone(const KitStrokes& all) {
    std::vector<double> out;
    for (const Stroke& s : all.strokes) {
        if (!isMetal(s.drum)) continue;
        const bool company =
            std::any_of(all.strokes.begin(), all.strokes.end(), [&](const Stroke& o) {
                return !isMetal(o.drum) && o.time > s.time - 0.2 &&
                       o.time < s.time + kWireWindow.to;
            });
        if (!company && out.size() < kMost) out.push_back(s.time);
    }
    return out;
}

}  // namespace

std::vector<Sympathy> measureSympathy(const KitMics& kit, const KitStrokes& all,
                                      const std::vector<DrumTone>& tone) {
    std::vector<Sympathy> out;
    const auto read = [&](const KitDrum& drum, int mic, bool wires, double hertz) {
        const MicSignal& signal = kit.mics[static_cast<std::size_t>(mic)];
        const TailSpan window = wires ? kWireWindow : kHeadWindow;
        const auto power = [&](double time) {
            return wires ? powerAbove(signal, kit.sampleRate, time + window.from, time + window.to)
                         : powerAt(signal, kit.sampleRate, time + window.from, time + window.to,
                                   hertz);
        };
        std::vector<double> own;
        for (const ClearStroke& c : clearStrokes(all, drum.id, kMost))
            own.push_back(power(c.stroke.time));
        if (own.empty() || median(own) <= 0.0) return;
        for (const KitDrum& other : kit.drums) {
            const bool head = other.family == DrumFamily::kick || other.family == DrumFamily::tom ||
                              other.family == DrumFamily::snare;
            if (other.id == drum.id || !head) continue;
            // A head rings for a second after its own stroke; wires are still sooner.
            const std::vector<double> times =
                without(all, other.id, drum.id, wires ? 0.35 : 1.2, window.to + 0.02);
            if (std::ssize(times) < kFewestTimes) continue;
            Sympathy s{drum.id, signal.id,  other.id, wires,
                       hertz,   kSilenceDb, 0.0,      static_cast<int>(times.size())};
            // A hi-hat or cymbal often falls together with a kick: what it alone puts into the
            // wires' band is not theirs.
            std::vector<double> metal;
            if (wires) {
                for (const double t : metalAlone(all)) metal.push_back(power(t));
            }
            std::vector<double> heard;
            double most = -1.0;
            for (const double t : times) {
                heard.push_back(power(t));
                if (heard.back() > most) {
                    most = heard.back();
                    s.worstAt = t;
                }
            }
            const double answered = median(heard) - median(metal);
            if (answered < kSure * median(heard)) continue;
            s.relativeDb = 10.0 * std::log10(answered / median(own));
            out.push_back(std::move(s));
        }
    };
    for (const KitDrum& drum : kit.drums) {
        if (drum.mics.empty()) continue;
        const auto known = std::find_if(tone.begin(), tone.end(),
                                        [&](const DrumTone& t) { return t.drum == drum.id; });
        if (known != tone.end() && known->fundamental > 0.0 &&
            (drum.family == DrumFamily::tom || drum.family == DrumFamily::snare))
            read(drum, drum.mics.front(), false, known->fundamental);
        if (drum.family != DrumFamily::snare) continue;
        for (const int mic : drum.mics) read(drum, mic, true, kWiresHertz);
    }
    return out;
}

std::vector<SympathyInMic> sympathyByMic(const Sympathy& sympathy,
                                         const std::vector<BleedLevel>& bleed) {
    std::vector<SympathyInMic> out;
    for (const BleedLevel& b : bleed) {
        if (b.drum == sympathy.drum) out.push_back({b.mic, b.peakDb + sympathy.relativeDb});
    }
    return out;
}

}  // namespace ember
