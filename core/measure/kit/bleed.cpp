#include "core/measure/kit/bleed.h"

#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/key_filter.h"
#include "core/measure/strokes/clear_strokes.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr double kHeard = 0.030;  // seconds of a stroke in which its peak lies
constexpr double kGainWorth = 1.0;
constexpr double kAlone = 0.2;      // of a drum's strokes, or nothing can be said of its bleed
constexpr std::size_t kMost = 120;  // strokes of a kind that are filtered
constexpr std::array<double, 6> kHighPass{KeyFilter::kLowest, 60.0, 120.0, 250.0, 500.0, 1200.0};
constexpr std::array<double, 5> kLowPass{KeyFilter::kHighest, 8000.0, 4000.0, 1500.0, 400.0};

struct Moment {
    double time = 0.0;
    bool own = false, ghost = false;
};

double peakOf(const KitMics& kit, const MicSignal& mic, double time, KeyFilter* filter) {
    const auto warm = static_cast<Frames>(0.02 * kit.sampleRate);
    const auto from = static_cast<Frames>(time * kit.sampleRate) -
                      static_cast<Frames>(0.001 * kit.sampleRate),
               to = from + static_cast<Frames>(kHeard * kit.sampleRate);
    float peak = 0.0F;
    float block[kBlock];
    if (filter != nullptr) filter->reset();
    for (Frames at = filter != nullptr ? from - warm : from; at < to; at += kBlock) {
        for (int i = 0; i < kBlock; ++i) block[i] = mic.at(0, at + i);
        const AudioBlock heard = filter != nullptr ? filter->process({{block, nullptr}, 1, kBlock})
                                                   : AudioBlock{{block, nullptr}, 1, kBlock};
        if (at < from) continue;
        for (int i = 0; i < kBlock; ++i) peak = std::max(peak, std::abs(heard.channel[0][i]));
    }
    return dbFromGain(static_cast<double>(peak));
}

Separation separate(const KitMics& kit, const MicSignal& mic, const std::vector<Moment>& moments,
                    double highPass, double lowPass) {
    Separation s;
    s.highPass = highPass;
    s.lowPass = lowPass;
    KeyFilter filter;
    filter.prepare({kit.sampleRate, 1});
    filter.set(highPass, lowPass);
    const bool off = highPass <= KeyFilter::kLowest && lowPass >= KeyFilter::kHighest;
    for (const Moment& m : moments) {
        const double peak = peakOf(kit, mic, m.time, off ? nullptr : &filter);
        (m.own ? s.ownDb : s.bleedDb).push_back(peak);
        if (m.ghost) s.ghostDb.push_back(peak);
    }
    s.marginDb = s.ownDb.empty() || s.bleedDb.empty()
                     ? 0.0
                     : quantile(s.ownDb, 0.05) - quantile(s.bleedDb, 0.95);
    return s;
}

std::vector<Moment> thin(const std::vector<Moment>& all) {
    if (all.size() <= kMost) return all;
    std::vector<Moment> out;
    for (std::size_t i = 0; i < kMost; ++i) out.push_back(all[i * all.size() / kMost]);
    return out;
}

std::vector<Moment> momentsOf(const KitDrum& drum, const std::string& mic, const KitStrokes& all) {
    std::vector<Moment> own, bleed;
    for (const Stroke& s : all.strokes) {
        if (s.drum == drum.id) own.push_back({s.time, true, s.kind == StrokeKind::ghost});
    }
    for (const BleedMark& b : all.bleed) {
        if (b.mic == mic) bleed.push_back({b.time, false, false});
    }
    own = thin(own);
    bleed = thin(bleed);
    own.insert(own.end(), bleed.begin(), bleed.end());
    return own;
}

// Whether another drum, at which this microphone stands, was struck while a stroke's peak is read.
bool ownsStrokeNear(const KitMics& kit, const KitStrokes& all, int mic, const KitDrum& drum,
                    double time) {
    for (const KitDrum& d : kit.drums) {
        if (d.id == drum.id || std::find(d.mics.begin(), d.mics.end(), mic) == d.mics.end())
            continue;
        const auto from = std::lower_bound(all.strokes.begin(), all.strokes.end(), time - kHeard,
                                           [](const Stroke& s, double t) { return s.time < t; });
        for (auto s = from; s != all.strokes.end() && s->time < time + kHeard; ++s) {
            if (s->drum == d.id) return true;
        }
    }
    return false;
}

}  // namespace

std::vector<BleedLevel> measureBleed(const KitMics& kit, const KitStrokes& all) {
    std::vector<BleedLevel> out;
    std::map<std::string, double> loudest;
    for (const KitDrum& drum : kit.drums) {
        const std::vector<ClearStroke> clear = clearStrokes(all, drum.id);
        if (clear.empty()) continue;
        for (std::size_t m = 0; m < kit.mics.size(); ++m) {
            const MicSignal& mic = kit.mics[m];
            std::vector<double> peaks;
            std::size_t alone = 0;
            for (const ClearStroke& c : clear) {
                peaks.push_back(peakOf(kit, mic, c.stroke.time, nullptr));
                alone += ownsStrokeNear(kit, all, static_cast<int>(m), drum, c.stroke.time) ? 0 : 1;
            }
            // A crash falls together with the kick: that is no bleed in the kick's microphone.
            if (static_cast<double>(alone) < kAlone * static_cast<double>(clear.size())) continue;
            BleedLevel level{drum.id, mic.id, quantile(peaks, 0.5), 0.0,
                             static_cast<int>(clear.size())};
            const auto [at, fresh] = loudest.try_emplace(mic.id, level.peakDb);
            if (!fresh) at->second = std::max(at->second, level.peakDb);
            out.push_back(std::move(level));
        }
    }
    for (BleedLevel& b : out) b.relativeDb = b.peakDb - loudest[b.mic];
    return out;
}

std::vector<Separation> measureSeparation(const KitMics& kit, const KitStrokes& all,
                                          const Progress& progress) {
    struct Job {
        const KitDrum* drum;
        const MicSignal* mic;
        std::vector<Moment> moments;
    };
    std::vector<Job> jobs;
    for (const KitDrum& drum : kit.drums) {
        for (const int m : drum.mics) {
            const MicSignal& mic = kit.mics[static_cast<std::size_t>(m)];
            Job job{&drum, &mic, momentsOf(drum, mic.id, all)};
            if (!job.moments.empty() && job.moments.front().own) jobs.push_back(std::move(job));
        }
    }
    report(progress, 0.0, "Comparing strokes with bleed");
    std::vector<std::vector<Separation>> found(jobs.size());
    tbb::parallel_for(std::size_t{0}, jobs.size(), [&](std::size_t i) {
        const Job& job = jobs[i];
        Separation plain =
            separate(kit, *job.mic, job.moments, KeyFilter::kLowest, KeyFilter::kHighest);
        Separation best = plain;
        for (const double high : kHighPass) {
            for (const double low : kLowPass) {
                if (high * 2.0 > low || plain.bleedDb.empty()) continue;
                Separation s = separate(kit, *job.mic, job.moments, high, low);
                if (s.marginDb > best.marginDb) best = std::move(s);
            }
        }
        const bool worth = best.marginDb > plain.marginDb + kGainWorth;
        found[i].push_back(std::move(plain));
        if (worth) found[i].push_back(std::move(best));
        for (Separation& s : found[i]) {
            s.drum = job.drum->id;
            s.mic = job.mic->id;
        }
    });
    std::vector<Separation> out;
    for (auto& f : found)
        out.insert(out.end(), std::make_move_iterator(f.begin()), std::make_move_iterator(f.end()));
    report(progress, 1.0, "Comparing strokes with bleed");
    return out;
}

}  // namespace ember
