// The events of a kit with everything on a common scale: what each microphone heard when, who heard
// it first, and how loud the neighbours' bleed is. What attribution works on.
#pragma once

#include "core/measure/strokes/events.h"
#include "core/measure/strokes/onsets.h"

#include <vector>

namespace ember {

using Picture = std::vector<float>;  // one value a RiseBand, scaled; -1 where nothing is known

inline constexpr float kClearRiseDb = 10.0F;  // what surely is an attack in one signal
inline constexpr float kRiseDb = 4.0F;        // what counts as one

struct Scene {
    const KitMics& kit;
    const KitEvents& events;
    std::vector<std::vector<Arrival>> hearing;  // [event][mic], close microphones only
    std::vector<int> leader;  // by event: the drum whose microphone hears it first; -1: not sure
    // By drum: where it is struck with another one, to the sample, each time, and bleeds into
    // nothing; only for drums that never lead.
    std::vector<std::vector<std::size_t>> tied;
    std::vector<float> loud;  // by drum: peak of its loud strokes in its first microphone
    // [drum][other]: what the other's loud stroke puts into the drum's microphone, against the
    // drum's own loud strokes, dB.
    std::vector<std::vector<double>> bleedDb;
    std::vector<Picture> x;    // by event
    std::vector<float> scale;  // by band
};

// `kit` and `events` must outlive the scene. Deterministic; spreads over cores.
Scene makeScene(const KitMics& kit, const KitEvents& events);

bool isOwn(const KitDrum& drum, int mic);
// The value below which `part` of them lie; 0 for none.
float percentile(std::vector<float> values, double part);
// An event in the first microphone of a drum that has one.
const Arrival& firstHearing(const Scene& scene, std::size_t event, std::size_t drum);
// Its peak against the drum's loud strokes, dB; silence for a drum without a microphone.
double relativeDb(const Scene& scene, std::size_t event, std::size_t drum);
// The same against the most that the other drums' bleed explains.
double excessDb(const Scene& scene, std::size_t event, std::size_t drum);
// How far it lies under the drum's own clear stroke of the last quarter second; -60: there was
// none.
double tailDb(const Scene& scene, std::size_t event, std::size_t drum);
// How much of a picture lies in a drum's own microphones (or anywhere, if it has none).
double ownSum(const Scene& scene, const KitDrum& drum, const Picture& picture);

}  // namespace ember
