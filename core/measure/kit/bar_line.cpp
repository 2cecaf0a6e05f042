#include "core/measure/kit/bar_line.h"

#include "core/session/drum.h"

#include <algorithm>

namespace ember {

BarLine findBarLine(const std::vector<Stroke>& strokes,
                    const std::function<long(const Stroke&)>& count, int perBar, int perBeat) {
    std::vector<double> kick(static_cast<std::size_t>(perBar), 0.0), snare = kick, cymbal = kick;
    for (const Stroke& s : strokes) {
        if (s.kind == StrokeKind::ghost || s.kind == StrokeKind::flam) continue;
        const long k = count(s) % perBar;
        const auto at = static_cast<std::size_t>((k + perBar) % perBar);
        if (s.drum == "kick") kick[at] += s.velocity;
        if (s.drum == "snare") snare[at] += s.velocity;
        if (drumFamily(s.drum) == DrumFamily::cymbal && s.kind == StrokeKind::accent)
            cymbal[at] += s.velocity;
    }
    const auto share = [&](const std::vector<double>& v, int at) {
        double sum = 1e-9;
        for (const double x : v) sum += x;
        return v[static_cast<std::size_t>(at % perBar)] / sum;
    };
    const int beats = std::max(1, perBar / perBeat);
    double best = -1e9, next = -1e9;
    BarLine out;
    for (int at = 0; at < perBar; ++at) {
        double score = share(kick, at) - share(snare, at) + 0.5 * share(cymbal, at);
        for (int beat = 1; beat < beats; beat += 2) score += share(snare, at + perBeat * beat);
        for (int beat = 2; beat < beats; beat += 2) score += 0.3 * share(kick, at + perBeat * beat);
        if (score > best) {
            next = best;
            best = score;
            out.sixteenth = at;
        } else if (score > next) {
            next = score;
        }
    }
    out.confidence = std::clamp((best - next) / 0.4, 0.0, 1.0);
    return out;
}

}  // namespace ember
