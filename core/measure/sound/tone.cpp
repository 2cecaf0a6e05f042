#include "core/measure/sound/tone.h"

#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/measure/sound/partials.h"
#include "core/measure/sound/tone_material.h"
#include "core/measure/strokes/stroke_figures.h"
#include "core/measure/strokes/typical.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kLittle = 0.3;  // what others add only adds: a decay is read below the middle

// Where a family's fundamental lies, and when its glide has settled (seconds after the stroke).
struct Range {
    double low, high, body, from, to,
        settles;  // `settles`: how far it may glide down; 0: it does not
};
Range rangeOf(DrumFamily family) {
    switch (family) {
        case DrumFamily::kick:
            return {30.0, 110.0, 0.04, 0.11, 0.35, 1.25};
        case DrumFamily::snare:
            return {100.0, 340.0, 0.015, 0.025, 0.14, 0.0};
        case DrumFamily::tom:
            return {48.0, 260.0, 0.04, 0.12, 0.50, 1.15};
        default:
            return {};
    }
}

// Below lies the drum's own note, and of a tom the second mode of its head, at 1.59 times the
// first.
double lowestRing(DrumFamily family, double fundamental) {
    return std::max(100.0, (family == DrumFamily::tom ? 1.8 : 1.25) * fundamental);
}

// Every stroke counts the same.
std::vector<double> meanPower(const ToneMaterial& m, double from, double to, int length) {
    RealFft fft(length);
    std::vector<double> sum, one;
    for (const std::vector<float>& x : m.strokes) {
        const auto part = slice(x, m.rate, from, to);
        if (part.size() < static_cast<std::size_t>(0.6 * (to - from) * m.rate)) continue;
        one.clear();
        addPower(fft, part, one);
        double total = 1e-30;
        for (const double v : one) total += v;
        sum.resize(one.size(), 0.0);
        for (std::size_t k = 0; k < one.size(); ++k) sum[k] += one[k] / total;
    }
    return sum;
}

int transformFor(double rate) {
    return rate > 60000.0 ? 65536 : 32768;
}

void readFundamental(const ToneMaterial& m, const std::vector<double>& others, DrumTone& tone) {
    const Range r = rangeOf(m.family);
    if (r.high <= 0.0) return;
    const int length = transformFor(m.rate);
    const double width = m.rate / length;
    const auto hums = [&](double hertz) {
        return std::any_of(others.begin(), others.end(),
                           [&](double f) { return std::abs(hertz - f) < 0.04 * f; });
    };
    const auto peakIn = [&](const std::vector<double>& p, double low, double high) {
        std::size_t best = 0;
        for (auto k = static_cast<std::size_t>(low / width);
             k < p.size() && static_cast<double>(k) * width <= high; ++k) {
            // Where nothing settles, the edge of what is looked through is no note.
            if (r.settles <= 0.0 && (p[k] < p[k - 1] || p[k] < p[k + 1])) continue;
            if (!hums(static_cast<double>(k) * width) && (best == 0 || p[k] > p[best])) best = k;
        }
        return best;
    };
    std::vector<double> settled;
    // Fast playing leaves less of every stroke.
    for (const double share : {1.0, 0.6, 0.4}) {
        settled = meanPower(m, r.from, r.from + share * (r.to - r.from), length);
        if (!settled.empty()) break;
    }
    if (settled.empty()) return;
    // Found early, where the drum itself is loudest; read late, where it has settled.
    const std::vector<double> body = meanPower(m, r.body, r.body + 0.1, length);
    double low = r.low, high = r.high;
    if (!body.empty() && r.settles > 0.0) {
        const double near = static_cast<double>(peakIn(body, r.low, r.high)) * width;
        if (near > 0.0) low = std::max(r.low, near / r.settles);
        if (near > 0.0) high = std::min(r.high, near * 1.12);
    }
    const std::size_t k = peakIn(settled, low, high);
    if (k == 0) return;
    tone.fundamental = peakBin(settled, k) * width;
    std::vector<double> around;
    for (auto i = static_cast<std::size_t>(r.low / width); static_cast<double>(i) * width <= r.high;
         ++i)
        around.push_back(settled[i]);
    const double stands = 10.0 * std::log10(settled[k] / (median(around) + 1e-30));
    tone.fundamentalConfidence = std::clamp((stands - 3.0) / 12.0, 0.0, 1.0);
    const std::vector<double> start = meanPower(m, 0.003, 0.035, length);
    if (start.empty()) return;
    const double early =
        peakBin(start, peakIn(start, 0.8 * tone.fundamental, 1.7 * tone.fundamental)) * width;
    tone.glide = 12.0 * std::log2(std::max(early, 1.0) / tone.fundamental);
}

void readSpectrum(const ToneMaterial& m, DrumTone& tone) {
    constexpr int kLength = 16384;
    RealFft fft(kLength);
    const double width = m.rate / kLength;
    std::vector<double> centres;
    for (double hertz = 25.0; hertz < std::min(20000.0, 0.45 * m.rate);
         hertz *= std::pow(2.0, 1.0 / 3.0))
        centres.push_back(hertz);
    std::vector<std::vector<double>> levels(centres.size());
    std::vector<double> body, mud, attack, air, centroid, power;
    for (const std::vector<float>& x : m.strokes) {
        power.clear();
        // The window's middle at the stroke: half of it looks at silence before.
        std::vector<float> padded(static_cast<std::size_t>(0.15 * m.rate), 0.0F);
        const auto part = slice(x, m.rate, 0.0, 0.15);
        padded.insert(padded.end(), part.begin(), part.end());
        addPower(fft, padded, power);
        const auto band = [&](double low, double high) {
            double sum = 1e-20;
            for (auto k = static_cast<std::size_t>(low / width);
                 k < power.size() && static_cast<double>(k) * width < high; ++k)
                sum += power[k];
            return sum;
        };
        const double all = band(20.0, 20000.0);
        for (std::size_t c = 0; c < centres.size(); ++c) {
            const double edge = std::pow(2.0, 1.0 / 6.0);
            levels[c].push_back(10.0 *
                                std::log10(band(centres[c] / edge, centres[c] * edge) / all));
        }
        const auto share = [&](double low, double high) {
            return 10.0 * std::log10(band(low, high) / all);
        };
        body.push_back(share(40.0, 250.0));
        mud.push_back(share(250.0, 600.0));
        attack.push_back(share(2000.0, 6000.0));
        air.push_back(share(8000.0, 18000.0));
        double weighted = 0.0, sum = 1e-20;
        for (std::size_t k = 1; k < power.size(); ++k) {
            weighted += static_cast<double>(k) * width * power[k];
            sum += power[k];
        }
        centroid.push_back(weighted / sum);
    }
    for (std::size_t c = 0; c < centres.size(); ++c) {
        tone.median.frequency.push_back(centres[c]);
        tone.median.level.push_back(median(levels[c]));
        tone.spread.frequency.push_back(centres[c]);
        tone.spread.level.push_back(quantile(levels[c], 0.9) - quantile(levels[c], 0.1));
    }
    tone.bodyDb = median(body);
    tone.mudDb = median(mud);
    tone.attackDb = median(attack);
    tone.airDb = median(air);
    tone.brightness = median(centroid);
    // Least squares of log centroid over level.
    double n = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0;
    for (std::size_t i = 0; i < centroid.size(); ++i) {
        const double x = m.levelsDb[i], y = std::log(centroid[i] + 1.0);
        n += 1.0;
        sx += x;
        sy += y;
        sxx += x * x;
        sxy += x * y;
    }
    const double spread = n * sxx - sx * sx;
    if (spread > 1e-6) tone.brightnessSlope = 100.0 * (n * sxy - sx * sy) / spread;
    // A thousandth of the energy lies below the one and above the other.
    double sum = 0.0;
    std::vector<double> linear;
    for (const double db : tone.median.level) linear.push_back(std::pow(10.0, db / 10.0));
    double total = 0.0;
    for (const double v : linear) total += v;
    for (std::size_t c = 0; c < centres.size(); ++c) {
        sum += linear[c];
        if (tone.lowestHertz <= 0.0 && sum > 1e-3 * total) tone.lowestHertz = centres[c];
        if (sum >= (1.0 - 1e-3) * total) {
            tone.highestHertz = centres[c];
            break;
        }
    }
}

// Until when most of a stroke's energy has sounded. What the strokes are too short to show is
// carried on at the decay; 0 where that would be most of it.
double bodyTime(const Fall& fall, double decayT60) {
    constexpr double kMost = 0.95, kSeen = 0.5, kUnder = 30.0;  // Hz: rumble is no body
    std::vector<double> energy;
    for (const double db : fall.levels(kUnder, fall.width * static_cast<double>(fall.bins)))
        energy.push_back(std::pow(10.0, db / 10.0));
    double sum = 0.0;
    for (const double e : energy) sum += e;
    if (energy.empty() || sum <= 0.0) return 0.0;
    const double step = decayT60 > 0.0 ? std::pow(10.0, -6.0 * fall.step / decayT60) : 0.0,
                 unseen = energy.back() * step / (1.0 - step);
    if (decayT60 <= 0.0 && energy.back() > 0.03 * energy.front()) return 0.0;
    if (sum < kSeen * (sum + unseen)) return 0.0;
    double heard = 0.0, next = energy.front();
    for (std::size_t i = 0; heard < kMost * (sum + unseen); ++i) {
        next = i < energy.size() ? energy[i] : next * step;
        heard += next;
        if (heard >= kMost * (sum + unseen) || i > 300)
            return static_cast<double>(i + 1) * fall.step;
    }
    return 0.0;
}

void readDecays(const Fall& fall, DrumTone& tone) {
    for (const double hertz : {63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0})
        tone.decays.push_back(
            {hertz, decayTime(fall.levels(hertz / 1.414, hertz * 1.414), fall.step)});
    const double around = std::max(fall.width, 0.06 * tone.fundamental);
    tone.decayT60 =
        tone.fundamental > 0.0
            ? decayTime(fall.levels(tone.fundamental - around, tone.fundamental + around),
                        fall.step)
            : decayTime(fall.levels(300.0, 16000.0), fall.step);
    tone.bodySeconds = bodyTime(fall, tone.decayT60);
}

void readTime(const ToneMaterial& m, DrumTone& tone) {
    std::vector<double> rise, half, crest, punch;
    for (const std::vector<float>& x : m.strokes) {
        const auto start = slice(x, m.rate, 0.0, 0.02);
        float peak = 0.0F;
        for (const float v : start) peak = std::max(peak, std::abs(v));
        std::size_t ten = 0, ninety = 0;
        while (ten < start.size() && std::abs(start[ten]) < 0.1F * peak) ++ten;
        while (ninety < start.size() && std::abs(start[ninety]) < 0.9F * peak) ++ninety;
        rise.push_back(static_cast<double>(ninety - std::min(ten, ninety)) / m.rate * 1000.0);
        const auto whole = slice(x, m.rate, 0.0, kStrokeSeconds);
        const StrokeFigures figures = readStroke(whole, m.rate);
        double sum = 0.0;
        std::size_t at = 0;
        while (at < whole.size() && sum < 0.5 * figures.energy) {
            sum += static_cast<double>(whole[at]) * static_cast<double>(whole[at]);
            ++at;
        }
        half.push_back(static_cast<double>(at) / m.rate * 1000.0);
        crest.push_back(figures.crestDb);
        punch.push_back(figures.transientToBodyDb);
    }
    tone.riseMs = median(rise);
    tone.transientMs = median(half);
    tone.crestDb = median(crest);
    tone.transientToBodyDb = median(punch);
    tone.typical = typicalStrokes(m.strokes, m.rate);
    double mean = 0.0, square = 0.0;
    for (const double v : m.levelsDb) {
        mean += v;
        square += v * v;
    }
    const auto n = static_cast<double>(m.levelsDb.size());
    tone.levelSpreadDb = std::sqrt(std::max(0.0, square / n - mean * mean / (n * n)));
}

}  // namespace

std::vector<DrumTone> measureTwins(const KitMics& kit, const KitStrokes& all,
                                   const std::vector<DrumTone>& first) {
    std::vector<DrumTone> out;
    for (const DrumTone& known : first) {
        const auto drum = std::find_if(kit.drums.begin(), kit.drums.end(),
                                       [&](const KitDrum& d) { return d.id == known.drum; });
        if (drum == kit.drums.end()) continue;
        const auto clear = clearStrokes(all, drum->id, 48, RingMaterial::kFewest);
        for (const int mic : drum->mics) {
            DrumTone tone;
            tone.drum = drum->id;
            tone.mic = kit.mics[static_cast<std::size_t>(mic)].id;
            if (tone.mic == known.mic || clear.empty()) continue;
            const ToneMaterial m = toneMaterial(kit, all, *drum, mic, clear, nullptr);
            if (m.strokes.empty()) continue;
            tone.strokes = static_cast<int>(m.strokes.size());
            tone.fundamental = known.fundamental;
            tone.fundamentalConfidence = known.fundamentalConfidence;
            tone.decayT60 = known.decayT60;
            readSpectrum(m, tone);
            readTime(m, tone);
            out.push_back(std::move(tone));
        }
    }
    return out;
}

std::vector<DrumTone> measureTone(const KitMics& kit, const KitStrokes& all,
                                  const BleedModel* model, const Progress& progress) {
    std::vector<DrumTone> out;
    std::vector<ToneMaterial> materials;
    std::vector<const KitDrum*> order;
    for (const KitDrum& drum : kit.drums) order.push_back(&drum);
    // Toms first: their heads hum in the kick's microphone, and then they are known.
    std::stable_sort(order.begin(), order.end(), [](const KitDrum* a, const KitDrum* b) {
        return (a->family == DrumFamily::tom) > (b->family == DrumFamily::tom);
    });
    std::vector<double> toms;
    for (std::size_t d = 0; d < order.size(); ++d) {
        const KitDrum& drum = *order[d];
        report(progress, 0.7 * static_cast<double>(d) / static_cast<double>(order.size()),
               "Measuring " + drum.id);
        const std::vector<ClearStroke> clear =
            clearStrokes(all, drum.id, 48, RingMaterial::kFewest);
        // A kick's note is what its front head radiates: the outer microphone hears that.
        const bool outer = drum.family == DrumFamily::kick && drum.mics.size() > 1;
        const int mic = outer ? drum.mics.back() : timingMic(kit, drum);
        if (clear.empty() || mic < 0) continue;
        const ToneMaterial m = toneMaterial(kit, all, drum, mic, clear, nullptr);
        if (m.strokes.empty()) continue;
        ToneMaterial alone = model != nullptr ? toneMaterial(kit, all, drum, mic, clear, model) : m;
        const std::vector<Stroke> own = strokesOf(all, drum.id);
        DrumTone tone;
        tone.drum = drum.id;
        tone.mic = kit.mics[static_cast<std::size_t>(mic)].id;
        tone.strokes = static_cast<int>(m.strokes.size());
        tone.shortestGap = 10.0;
        for (std::size_t i = 1; i < own.size(); ++i) {
            if (own[i - 1].kind != StrokeKind::flam)
                tone.shortestGap = std::min(tone.shortestGap, own[i].time - own[i - 1].time);
        }
        // Long enough to tell a tom's note from the next one's that hums along, short enough for a
        // kick's fall.
        const double window = drum.family == DrumFamily::tom    ? 0.12
                              : drum.family == DrumFamily::kick ? 0.06
                                                                : 0.03;
        readFundamental(alone, drum.family == DrumFamily::tom ? std::vector<double>{} : toms, tone);
        if (drum.family == DrumFamily::tom && tone.fundamental > 0.0)
            toms.push_back(tone.fundamental);
        readSpectrum(m, tone);
        // Quiet tails are lost where a drum is taken out, so it would seem to fall faster.
        readDecays(readFall(undisturbed(m, window + 0.1), m.rate, window, 16000.0, kLittle), tone);
        readTime(m, tone);
        out.push_back(std::move(tone));
        materials.push_back(std::move(alone));
    }
    for (std::size_t i = 0; i < out.size(); ++i) {
        report(progress, 0.7 + 0.3 * static_cast<double>(i) / static_cast<double>(out.size()),
               "Looking for rings");
        // Another head that hums along is not this drum's ring.
        std::vector<double> others;
        for (std::size_t k = 0; k < out.size(); ++k) {
            if (k != i && out[k].fundamental > 0.0) others.push_back(out[k].fundamental);
        }
        if (materials[i].family != DrumFamily::hat && materials[i].family != DrumFamily::cymbal)
            out[i].rings = findRings({materials[i].rate, materials[i].strokes, materials[i].before},
                                     lowestRing(materials[i].family, out[i].fundamental),
                                     out[i].decayT60, others);
    }
    // The same ring in two microphones belongs to the drum where it stands out more.
    for (DrumTone& tone : out) {
        std::erase_if(tone.rings, [&](const Ring& ring) {
            return std::any_of(out.begin(), out.end(), [&](const DrumTone& other) {
                return std::any_of(other.rings.begin(), other.rings.end(), [&](const Ring& r) {
                    return other.drum != tone.drum && r.prominenceDb > ring.prominenceDb &&
                           std::abs(r.hertz - ring.hertz) < 0.02 * ring.hertz;
                });
            });
        });
    }
    return out;
}

}  // namespace ember
