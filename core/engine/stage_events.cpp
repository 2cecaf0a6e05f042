#include "core/engine/stage_events.h"

#include "core/dsp/pump.h"
#include "core/measure/kit/kit_mics.h"
#include "core/session/curves.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// Beats begin anew at every bar line, whatever the metre; one that would begin there is the bar's.
// Each comes later by a part (0..1) of a beat, or of the bar where that is shorter.
std::vector<Event> beatEvents(const Session& session, double quarters, double later, double until) {
    constexpr double kSame = 1e-6;  // quarters
    std::vector<Event> out;
    for (int bar = barAt(session.time, 0.0);; ++bar) {
        const double next = quarterOfBar(session.time, bar + 1);
        const double begin = quarterOfBar(session.time, bar);
        for (double q = begin + later * std::min(quarters, next - begin); q < next - kSame;
             q += quarters) {
            const double seconds = secondsAt(session.time, q);
            if (seconds > until) return out;
            Event e;
            e.frame = static_cast<Frames>(std::llround(seconds * session.sampleRate));
            out.push_back(e);
        }
    }
}

}  // namespace

std::vector<Event> stageEvents(const Session& session, std::string_view row, const Stage& stage,
                               std::span<const Stroke> struck, double until) {
    if (const double beat = beatOf(stage); beat > 0.0)
        return beatEvents(session, beat, stage.values[Pump::offset] / 100.0, until);
    const std::string drum = drumDriving(session, row, stage);
    std::vector<Event> out;
    for (const Stroke& stroke : struck) {
        if (stroke.drum != drum) continue;
        Event e;
        e.frame = static_cast<Frames>(std::llround(stroke.time * session.sampleRate));
        e.kind = stroke.kind;
        e.velocity = static_cast<float>(stroke.velocity);
        e.articulation = stroke.articulation;
        out.push_back(e);
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const Event& a, const Event& b) { return a.frame < b.frame; });
    return out;
}

}  // namespace ember
