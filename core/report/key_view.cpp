#include "core/report/key_view.h"

#include "core/audio/store.h"
#include "core/base/error.h"
#include "core/dsp/key_filter.h"
#include "core/measure/kit/kit_mics.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr double kDroppedDb = 12.0, kOwnMayLoseDb = 6.0;
constexpr double kAlone = 0.09;  // seconds to another drum's stroke
constexpr std::size_t kStrokes = 48, kFewest = 4;

}  // namespace

std::vector<KeyDrum> keyDrums(const Session& session, AudioStore& store,
                              const std::vector<Stroke>& strokes, const std::string& id) {
    const Row* row = findRow(session, id);
    if (row == nullptr || row->sources.empty()) return {};
    const Source& source = row->sources.front();
    const auto clip = store.open(source.file, session.sampleRate);
    const auto samples = clip->channel(std::min(source.channel, clip->channels() - 1));
    const double rate = session.sampleRate;
    std::map<std::string, std::vector<double>> times;
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        const Stroke& s = strokes[i];
        // Cymbals play along with everything; under a head's stroke they matter little.
        const auto other = [&](std::size_t n) {
            return strokes[n].drum != s.drum && (isMetal(s.drum) || !isMetal(strokes[n].drum));
        };
        bool alone = true;
        for (std::size_t n = i; n-- > 0 && s.time - strokes[n].time < kAlone;)
            alone = alone && !other(n);
        for (std::size_t n = i + 1; n < strokes.size() && strokes[n].time - s.time < kAlone; ++n)
            alone = alone && !other(n);
        if (alone) times[s.drum].push_back(s.time);
    }
    const std::string own = drumOfRow(session, id);
    std::vector<KeyDrum> out;
    for (const auto& [drum, list] : times) {
        if (list.size() < kFewest) continue;
        SpectrumMeter meter(rate);
        int count = 0;
        const std::size_t step = std::max<std::size_t>(1, list.size() / kStrokes);
        for (std::size_t i = 0; i < list.size(); i += step) {
            // A window whose flanks are soft: the attack lies well inside.
            const auto at = static_cast<std::ptrdiff_t>((list[i] - 0.05 - source.offset) * rate);
            if (at < 0 || at + SpectrumMeter::kLength > static_cast<std::ptrdiff_t>(samples.size()))
                continue;
            meter.add(samples.subspan(static_cast<std::size_t>(at), SpectrumMeter::kLength));
            ++count;
        }
        if (count > 0) out.push_back({drum, meter.result(), count});
    }
    std::stable_sort(out.begin(), out.end(), [&](const KeyDrum& a, const KeyDrum& b) {
        if ((a.drum == own) != (b.drum == own)) return a.drum == own;
        return keyLevelDb(a.spectrum, KeyFilter::kLowest, KeyFilter::kHighest) >
               keyLevelDb(b.spectrum, KeyFilter::kLowest, KeyFilter::kHighest);
    });
    return out;
}

double keyLevelDb(const Spectrum& spectrum, double highPass, double lowPass) {
    double sum = 1e-30;
    for (std::size_t i = 0; i < spectrum.frequency.size(); ++i) {
        const double f = spectrum.frequency[i];
        double gain = 1.0;
        if (highPass > KeyFilter::kLowest) gain /= 1.0 + std::pow(highPass / f, 4.0);
        if (lowPass < KeyFilter::kHighest) gain /= 1.0 + std::pow(f / lowPass, 4.0);
        sum += gain * std::pow(10.0, spectrum.level[i] / 10.0);
    }
    return 10.0 * std::log10(sum);
}

std::vector<DropOut> dropOuts(std::span<const KeyDrum> drums) {
    std::vector<DropOut> out;
    if (drums.empty()) return out;
    const Spectrum& own = drums.front().spectrum;
    constexpr double kLow = KeyFilter::kLowest, kHigh = KeyFilter::kHighest, kStep = 1.0 / 12.0;
    const double whole = keyLevelDb(own, kLow, kHigh);
    for (const KeyDrum& d : drums.subspan(1)) {
        const auto drops = [&](double highPass, double lowPass) {
            const double left = keyLevelDb(own, highPass, lowPass);
            return left > whole - kOwnMayLoseDb &&
                   keyLevelDb(d.spectrum, highPass, lowPass) <= left - kDroppedDb;
        };
        if (drops(kLow, kHigh)) continue;
        for (double octave = 0.0; octave < 6.7; octave += kStep) {
            const double high = 20.0 * std::exp2(octave), low = 20000.0 / std::exp2(octave);
            if (drops(high, kHigh)) {
                out.push_back({d.drum, true, high});
                break;
            }
            if (low >= 200.0 && drops(kLow, low)) {
                out.push_back({d.drum, false, low});
                break;
            }
        }
    }
    return out;
}

}  // namespace ember
