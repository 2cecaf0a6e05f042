#include "demo/one_shots.h"

#include "core/audio/file.h"
#include "core/report/midi_write.h"
#include "core/session/pattern.h"

#include <algorithm>
#include <cmath>

namespace ember::demo {
namespace fs = std::filesystem;
namespace {

struct Shot {
    const char* file;
    Drum drum;
    double velocity;
    std::uint64_t seed;
    Articulation articulation = Articulation::normal;
    int outlet = 0;
};
constexpr Shot kShots[] = {
    {"kick beater.wav", Drum::kick, 0.9, 1},
    {"kick body.wav", Drum::kick, 0.9, 1, Articulation::normal, 1},
    {"snare 01.wav", Drum::snare, 0.9, 2},
    {"snare 02.wav", Drum::snare, 0.88, 3},
    {"snare 03.wav", Drum::snare, 0.92, 4},
    {"snare cross-stick.wav", Drum::snare, 0.8, 5, Articulation::rim},
    {"hat closed 01.wav", Drum::hat, 0.8, 6, Articulation::closed},
    {"hat closed 02.wav", Drum::hat, 0.78, 7, Articulation::closed},
    {"hat open.wav", Drum::hat, 0.8, 8, Articulation::open},
    {"rack tom.wav", Drum::rackTom, 0.9, 9},
    {"floor tom.wav", Drum::floorTom, 0.9, 10},
    {"ride.wav", Drum::ride, 0.8, 11},
    {"ride bell.wav", Drum::ride, 0.85, 12, Articulation::bell},
    {"crash.wav", Drum::crash, 0.9, 13},
};

int keyOf(const Stroke& s) {
    switch (s.drum) {
        case Drum::kick:
            return 36;
        case Drum::snare:
            return s.articulation == Articulation::rim ? 37 : 38;
        case Drum::hat:
            return s.articulation == Articulation::open ? 46 : 42;
        case Drum::rackTom:
            return 50;
        case Drum::floorTom:
            return 43;
        case Drum::ride:
            return s.articulation == Articulation::bell ? 53 : 51;
        case Drum::crash:
            return 49;
    }
    return 36;
}

void writeBeat(const fs::path& file) {
    constexpr double kFirstBar = 1.2;
    constexpr int kBars = 8, kStep = kUsualPulses / 4;
    KitOptions options;
    options.seconds = kFirstBar + kBars * 4 * 60.0 / options.tempo;
    Session session;
    session.time = steadyTime(options.tempo);
    Pattern pattern;
    for (const Stroke& s : playScore(options)) {
        if (s.kind == StrokeKind::flam || s.time < kFirstBar - 0.05) continue;
        Note note;
        note.key = keyOf(s);
        const KeyMapping what = usualMapping(note.key);
        note.drum = what.drum;
        note.articulation = what.articulation;
        const double steps = (s.time - kFirstBar) * options.tempo / 60.0 * 4.0;
        note.tick = std::max<std::int64_t>(0, std::llround(steps)) * kStep;
        note.length = kStep / 2;
        // Loud, usual, soft: as a machine has it.
        note.velocity = (s.kind == StrokeKind::accent  ? 112.0
                         : s.kind == StrokeKind::ghost ? 36.0
                                                       : 88.0) /
                        127.0;
        const bool twice =
            std::any_of(pattern.notes.begin(), pattern.notes.end(),
                        [&](const Note& n) { return n.tick == note.tick && n.key == note.key; });
        if (!twice) pattern.notes.push_back(std::move(note));
    }
    writePatternMidi(session, pattern, file);
}

}  // namespace

std::vector<float> strikeAlone(Drum drum, double velocity, double sampleRate, std::uint64_t seed,
                               Articulation articulation, int outlet) {
    KitOptions options;
    options.sampleRate = sampleRate;
    options.seconds = 3.0;
    options.seed = seed;
    constexpr double kLead = 0.002;
    Stroke stroke;
    stroke.time = kLead;
    stroke.drum = drum;
    stroke.velocity = velocity;
    stroke.articulation = articulation;
    const Radiation all = radiate(drum, makeKit(KitOptions{}), {stroke}, options);
    std::vector<float> out = outlet == 1 && !all.second.empty() ? all.second : all.first;
    float most = 0.0F;
    for (const float x : out) most = std::max(most, std::abs(x));
    if (most <= 0.0F) return {};
    // Until it lies 66 dB under its peak.
    const auto last = std::find_if(out.rbegin(), out.rend(),
                                   [&](float x) { return std::abs(x) > 0.0005F * most; });
    out.resize(static_cast<std::size_t>(out.rend() - last));
    const auto fade = std::min(out.size(), static_cast<std::size_t>(0.01 * sampleRate));
    for (std::size_t i = 0; i < fade; ++i)
        out[out.size() - 1 - i] *= static_cast<float>(i) / static_cast<float>(fade);
    for (float& x : out) x *= 0.7F / most;
    return out;
}

std::vector<fs::path> writeOneShots(const fs::path& folder) {
    constexpr double kRate = 48000.0;
    fs::create_directories(folder);
    std::vector<fs::path> out;
    for (const Shot& shot : kShots) {
        out.push_back(folder / shot.file);
        writeAudio(out.back(),
                   {kRate,
                    {strikeAlone(shot.drum, shot.velocity, kRate, shot.seed, shot.articulation,
                                 shot.outlet)}},
                   SampleDepth::pcm24);
    }
    writeBeat(folder / kBeatFile);
    return out;
}

}  // namespace ember::demo
