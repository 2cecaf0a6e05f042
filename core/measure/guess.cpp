#include "core/measure/guess.h"

#include "core/measure/guess_pictures.h"

namespace ember {
namespace {

// Percussion is anything short; what is known of drums in general says (Fletcher & Rossing, The
// Physics of Musical Instruments, ch. 18 and 20).
constexpr GuessPicture kPercussion{
    DrumFamily::percussion,
    {0.05, 0.1, 0.1, 0.15, 0.2, 0.3, 0.5, 0.7, 0.8, 0.9, 0.9, 0.7, 0.5, 0.4},
    {0.02, 0.05, 0.05, 0.05, 0.08, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1}};

Template templateOf(const Scene& scene, int drum, const GuessPicture& guess) {
    Picture p(scene.scale.size(), 0.0F);
    float sum = 0.0F;
    for (std::size_t b = 0; b < p.size(); ++b) {
        const RiseBand& band = scene.events.bands[b];
        std::size_t place = 0;
        while (kRiseEdges[place] < band.low) ++place;
        const double root = (band.late ? guess.later : guess.at)[place];
        double v = root * root + 1e-4;
        if (!hearsAll(scene.kit.mics[static_cast<std::size_t>(band.mic)].role)) v *= 0.02;
        p[b] = static_cast<float>(v);
        sum += p[b];
    }
    for (float& v : p) v /= sum;
    return {drum, p, false, p};
}

}  // namespace

std::vector<Template> guessPictures(const Scene& scene, int drum) {
    std::vector<Template> out;
    const KitDrum& d = scene.kit.drums[static_cast<std::size_t>(drum)];
    bool whole = false;
    for (const MicSignal& mic : scene.kit.mics) whole = whole || hearsAll(mic.role);
    if (!whole) return out;
    for (const GuessPicture& g : kGuessPictures) {
        if (g.family == d.family) out.push_back(templateOf(scene, drum, g));
    }
    if (d.family == DrumFamily::percussion) out.push_back(templateOf(scene, drum, kPercussion));
    return out;
}

}  // namespace ember
