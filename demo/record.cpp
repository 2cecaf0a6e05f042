// Puts drums, room and microphones together.

#include "core/base/random.h"
#include "core/base/units.h"
#include "core/engine/flush_to_zero.h"
#include "demo/kit.h"
#include "demo/room.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <string_view>

namespace ember::demo {
namespace {

using std::numbers::pi;

struct MicPlan {
    const char* id;
    const char* name;
    Microphone mic;
    double peakDb;  // where the preamp puts the loudest sample
    int channelOfPair = -1;
    int ownDrum = -1;
};

// Where everything stands.
struct Stage {
    std::array<Point, kDrums> first{{{0.0, 0.02, 0.30},
                                     {-0.34, -0.12, 0.66},
                                     {-0.76, -0.06, 0.92},
                                     {-0.08, 0.30, 0.86},
                                     {0.52, -0.18, 0.62},
                                     {0.66, 0.34, 1.08},
                                     {-0.58, 0.52, 1.32}}};
    Point kickFront{0.0, 0.45, 0.30}, wires{-0.34, -0.12, 0.54};
    std::vector<MicPlan> mics;
};

bool has(const std::vector<std::string>& list, std::string_view id) {
    return std::find(list.begin(), list.end(), id) != list.end();
}

// Takes away what the session does not have and puts up what it has besides.
void setUp(std::vector<MicPlan>& mics, const Setup& setup) {
    const auto isOverhead = [](const MicPlan& m) {
        return std::string_view(m.id).starts_with("overhead");
    };
    if (setup.overheads == Overheads::crossed) {
        for (MicPlan& m : mics) {
            if (!isOverhead(m)) continue;
            const double side = m.channelOfPair == 0 ? -1.0 : 1.0;
            m.mic = {{0.04 * side, 0.05, 1.95}, {-0.9 * side, 0.15, 0.9}, 1.0};
        }
    } else if (setup.overheads == Overheads::mono) {
        std::erase_if(mics, isOverhead);
        mics.push_back(
            {"overhead", "Overhead", {{-0.05, 0.1, 1.9}, {-0.05, 0.1, 0.8}, 1.0}, -9.0, -1, -1});
    }
    std::erase_if(mics, [&](const MicPlan& m) { return has(setup.without, m.id); });
    if (has(setup.more, "knee"))
        mics.push_back(
            {"knee", "Knee", {{-0.12, -0.34, 0.55}, {-0.05, 0.05, 0.5}, 0.7}, -8.0, -1, -1});
    if (has(setup.more, "front"))
        mics.push_back({"front", "Front", {{0.1, 1.5, 0.9}, {0.0, 0.0, 0.6}, 1.0}, -8.0, -1, -1});
    if (has(setup.more, "crush"))
        mics.push_back({"crush", "Crush", {{0.5, 2.2, 1.3}, {0.0, 0.0, 0.8}, 0.3}, -8.0, -1, -1});
    if (has(setup.more, "trigger"))
        mics.push_back({"trigger", "Kick Trig", {{0.0, 0.3, 0.3}, {}, 1.0}, -6.0, -1, 0});
}

// A room pressed flat: slow gain towards one level.
void crush(std::vector<float>& signal, double rate) {
    double envelope = 0.0;
    for (float& x : signal) {
        const double v = std::abs(static_cast<double>(x));
        envelope += (v > envelope ? 60.0 : 6.0) / rate * (v - envelope);
        x = static_cast<float>(static_cast<double>(x) / (envelope + 0.02));
    }
}

// A contact on the shell: one short pulse a stroke.
std::vector<float> triggerTrack(const std::vector<Stroke>& strokes, std::size_t frames,
                                double rate) {
    std::vector<float> out(frames, 0.0F);
    for (const Stroke& s : strokes) {
        if (s.drum != Drum::kick) continue;
        const auto at = static_cast<std::size_t>(s.time * rate);
        for (std::size_t i = 0; i < static_cast<std::size_t>(0.004 * rate) && at + i < frames; ++i)
            out[at + i] += static_cast<float>(s.velocity *
                                              std::exp(-static_cast<double>(i) / (0.0006 * rate)));
    }
    return out;
}

Stage makeStage(const KitOptions& o) {
    Stage s;
    s.mics = {
        {"kick-in", "Kick In", {{0.04, 0.16, 0.31}, {0.0, 0.02, 0.30}, 1.0}, -7.0, -1, 0},
        {"kick-out", "Kick Out", {{0.02, 0.74, 0.33}, {0.0, 0.45, 0.30}, 0.8}, -9.0, -1, 0},
        {"snare-top", "Snare Top", {{-0.27, -0.05, 0.73}, {-0.34, -0.12, 0.66}, 1.0}, -6.0, -1, 1},
        {"snare-bottom",
         "Snare Bottom",
         {{-0.30, -0.08, 0.44}, {-0.34, -0.12, 0.54}, 1.0},
         -9.0,
         -1,
         1},
        {"hat", "Hat", {{-0.84, -0.02, 1.04}, {-0.76, -0.06, 0.92}, 1.0}, -12.0, -1, 2},
        {"rack-tom", "Rack Tom", {{-0.10, 0.39, 0.93}, {-0.08, 0.30, 0.86}, 1.0}, -8.0, -1, 3},
        {"floor-tom", "Floor Tom", {{0.56, -0.09, 0.69}, {0.52, -0.18, 0.62}, 1.0}, -8.0, -1, 4},
        {"ride", "Ride", {{0.70, 0.36, 0.94}, {0.66, 0.34, 1.08}, 1.0}, -13.0, -1, 5},
        {"overhead-l", "Overhead L", {{-0.62, 0.10, 1.85}, {-0.35, 0.10, 0.8}, 1.0}, -9.0, 0, -1},
        {"overhead-r", "Overhead R", {{0.66, 0.10, 1.85}, {0.35, 0.10, 0.8}, 1.0}, -9.0, 1, -1},
        {"room-l", "Room L", {{-1.3, 2.9, 1.5}, {0.0, 0.0, 0.8}, 0.4}, -10.0, 0, -1},
        {"room-r", "Room R", {{1.25, 3.0, 1.5}, {0.0, 0.0, 0.8}, 0.4}, -10.0, 1, -1}};
    if (o.variation > 0.0) {
        Random random(o.seed * 50021 + 9);
        // Close microphones move about their drum, the others about the kit's middle.
        for (MicPlan& m : s.mics) {
            const Point about = m.ownDrum < 0                          ? Point{}
                                : m.id == std::string_view("kick-out") ? s.kickFront
                                : m.id == std::string_view("snare-bottom")
                                    ? s.wires
                                    : s.first[static_cast<std::size_t>(m.ownDrum)];
            const auto moved = [&](double from, double to) {
                return from + (to - from) * (1.0 + 0.3 * o.variation * random.uniform(-1.0, 1.0));
            };
            m.mic.place = {moved(about.x, m.mic.place.x), moved(about.y, m.mic.place.y),
                           moved(about.z, m.mic.place.z)};
            // Nobody hangs a microphone in the wall.
            m.mic.place.y = std::min(m.mic.place.y, 3.5);
            m.peakDb += 4.0 * o.variation * random.uniform(-1.0, 1.0);
        }
    }
    setUp(s.mics, o.setup);
    if (o.mics == MicSet::reduced) {
        std::vector<MicPlan> few;
        for (const MicPlan& m : s.mics) {
            const std::string id = m.id;
            if (id == "kick-in" || id == "snare-top" || id.starts_with("overhead"))
                few.push_back(m);
        }
        s.mics = few;
    }
    if (o.mics == MicSet::stereo) {
        s.mics = {{"kit-l", "Kit L", {{-0.5, 1.1, 1.7}, {-0.2, 0.1, 0.7}, 1.0}, -4.0, 0, -1},
                  {"kit-r", "Kit R", {{0.5, 1.1, 1.7}, {0.2, 0.1, 0.7}, 1.0}, -4.0, 1, -1}};
    }
    return s;
}

// A tuned head that hums along with what the others play.
void addHum(std::vector<float>& head, const std::vector<float>& driver, double hz, double t60,
            double level, double rate) {
    const double r = std::exp(std::log(1e-3) / (t60 * rate));
    const double a1 = 2.0 * r * std::cos(2.0 * pi * hz / rate), a2 = r * r,
                 input = level * (1.0 - r);
    double y1 = 0.0, y2 = 0.0;
    for (std::size_t i = 0; i < head.size(); ++i) {
        const double y = input * static_cast<double>(driver[i]) + a1 * y1 - a2 * y2;
        y2 = y1;
        y1 = y;
        head[i] += static_cast<float>(y);
    }
}

// Wires that rattle while another drum shakes the snare.
void addBuzz(std::vector<float>& wires, const std::vector<float>& driver, double level, double rate,
             Random random) {
    const double follow = 1.0 - std::exp(-1.0 / (0.012 * rate)),
                 band = 1.0 - std::exp(-2.0 * pi * 2600.0 / rate);
    double envelope = 0.0, low = 0.0;
    for (std::size_t i = 0; i < wires.size(); ++i) {
        envelope += follow * (std::abs(static_cast<double>(driver[i])) - envelope);
        const double noise = random.noise();
        low += band * (noise - low);
        wires[i] += static_cast<float>(level * envelope * (noise - low));
    }
}

std::vector<float> playBass(const std::vector<Stroke>& strokes, const KitOptions& o) {
    std::vector<float> out(static_cast<std::size_t>(o.seconds * o.sampleRate), 0.0F);
    static constexpr double notes[8] = {41.2, 41.2, 49.0, 55.0, 41.2, 61.7, 49.0, 36.7};
    int count = 0;
    for (const Stroke& s : strokes) {
        if (s.drum != Drum::kick) continue;
        const double f = notes[(count++ / 6) % 8];
        const auto start = static_cast<std::size_t>((s.time + 0.004) * o.sampleRate);
        const auto length = static_cast<std::size_t>(0.45 * o.sampleRate);
        for (std::size_t i = 0; i < length && start + i < out.size(); ++i) {
            const double t = static_cast<double>(i) / o.sampleRate;
            const double envelope = std::min(1.0, t / 0.004) * std::exp(-t / 0.5) *
                                    (t > 0.42 ? (0.45 - t) / 0.03 : 1.0);
            double y = 0.0;
            for (int h = 1; h <= 8; ++h)
                y += std::sin(2.0 * pi * f * h * t) / (h * h) * std::exp(-t * h * 1.2);
            out[start + i] += static_cast<float>(0.22 * envelope * y);
        }
    }
    return out;
}

float peakOf(const std::vector<float>& x) {
    float peak = 0.0F;
    for (const float v : x) peak = std::max(peak, std::abs(v));
    return peak;
}

void mixReference(Recording& r) {
    const std::size_t frames = r.mics[0].signal.size();
    r.referenceLeft.assign(frames, 0.0F);
    r.referenceRight.assign(frames, 0.0F);
    const auto add = [&](const std::vector<float>& x, double left, double right) {
        for (std::size_t i = 0; i < frames; ++i) {
            r.referenceLeft[i] += static_cast<float>(left) * x[i];
            r.referenceRight[i] += static_cast<float>(right) * x[i];
        }
    };
    for (const MicTrack& m : r.mics) {
        const double side = m.channelOfPair == 0 ? 1.0 : (m.channelOfPair == 1 ? 0.0 : 0.7);
        const double level =
            m.id.starts_with("room")
                ? 0.5
                : (m.id == "snare-bottom" ? -0.3 : (m.id.starts_with("kick") ? 0.9 : 0.7));
        add(m.signal, level * side, level * (m.channelOfPair < 0 ? side : 1.0 - side));
    }
    add(r.bass, 1.0, 1.0);
    for (auto* channel : {&r.referenceLeft, &r.referenceRight}) {
        for (float& x : *channel) x = 0.85F * std::tanh(1.4F * x);
    }
}

}  // namespace

Recording record(const KitOptions& options, const Sound& sound) {
    const FlushToZero flushHere;
    Recording r{options, makeKit(options), playScore(options), {}, {}, {}, {}, {}, {}};
    const Stage stage = makeStage(options);
    const double rate = options.sampleRate;
    std::array<Radiation, kDrums> drums;
    std::array<std::array<std::vector<float>, 4>, kDrums> late;
    tbb::parallel_for(0, kDrums, [&](int d) {
        const FlushToZero flush;
        const auto drum = static_cast<Drum>(d);
        drums[static_cast<std::size_t>(d)] =
            sound ? sound(drum, r.strokes, options) : radiate(drum, r.kit, r.strokes, options);
    });
    Radiation& kick = drums[0];
    Radiation& snare = drums[1];
    const bool together = !options.setup.isolated;
    for (const std::size_t tom : {3U, 4U}) {
        if (sound || !together) break;  // nobody knows to what it would hum
        addHum(drums[tom].first, kick.first, tom == 3 ? r.kit.rackHz : r.kit.floorHz,
               tom == 3 ? r.kit.rackT60 : r.kit.floorT60, 0.05, rate);
        addHum(drums[tom].first, snare.first, tom == 3 ? r.kit.rackHz : r.kit.floorHz,
               tom == 3 ? r.kit.rackT60 : r.kit.floorT60, 0.06, rate);
        addBuzz(snare.second, drums[tom].first, 0.022, rate, Random(options.seed + tom));
    }
    if (together) addBuzz(snare.second, kick.second, 0.030, rate, Random(options.seed + 77));
    tbb::parallel_for(std::size_t{0}, static_cast<std::size_t>(kDrums), [&](std::size_t d) {
        const FlushToZero flush;
        std::vector<float> both = drums[d].first;
        for (std::size_t i = 0; i < drums[d].second.size(); ++i) both[i] += drums[d].second[i];
        late[d] = reverberate(both, rate, options.roomT60);
    });

    const std::size_t frames = kick.first.size();
    r.mics.resize(stage.mics.size());
    r.drumInMic.assign(kDrums, std::vector<DrumInMic>(stage.mics.size()));
    if (options.alone) {
        r.alone.assign(
            kDrums, std::vector<std::vector<float>>(stage.mics.size(), std::vector<float>(frames)));
    }
    tbb::parallel_for(std::size_t{0}, stage.mics.size(), [&](std::size_t m) {
        const FlushToZero flush;
        const MicPlan& plan = stage.mics[m];
        MicTrack& track = r.mics[m];
        track.id = plan.id;
        track.name = plan.name;
        track.channelOfPair = plan.channelOfPair;
        track.signal.assign(frames, 0.0F);
        std::vector<float> one(frames);
        const bool below = track.id == "snare-bottom";
        for (std::size_t d = 0; d < kDrums; ++d) {
            std::fill(one.begin(), one.end(), 0.0F);
            PathOptions path;
            path.sampleRate = rate;
            const bool own = plan.ownDrum == static_cast<int>(d);
            if (options.setup.isolated && plan.ownDrum >= 0 && !own) continue;
            path.shade = own ? 0.0 : (plan.channelOfPair >= 0 ? 0.05 : 0.45);
            // A head pushes air one way on top and the other way below.
            const bool flipped = below && d == 1;
            path.polarity = flipped ? -1.0 : 1.0;
            addPath(one, drums[d].first, stage.first[d], plan.mic, path);
            path.polarity = 1.0;
            if (d == 0) addPath(one, drums[d].second, stage.kickFront, plan.mic, path);
            if (d == 1) addPath(one, drums[d].second, stage.wires, plan.mic, path);
            const std::vector<float>& tail = late[d][m % 4];
            const bool dry = options.setup.isolated && plan.ownDrum >= 0;
            for (std::size_t i = 0; i < frames && !dry; ++i) one[i] += 0.45F * tail[i];
            if (plan.ownDrum >= 0 && !own && options.setup.bleedDb != 0.0) {
                const auto more = static_cast<float>(gainFromDb(options.setup.bleedDb));
                for (float& v : one) v *= more;
            }
            DrumInMic& truth = r.drumInMic[d][m];
            const Point from = d == 0 && track.id == "kick-out" ? stage.kickFront : stage.first[d];
            truth.delayMs = distance(from, plan.mic.place) / kSpeedOfSound * 1000.0;
            truth.polarity = flipped ? -1 : 1;
            truth.levelDb = static_cast<double>(peakOf(one));  // linear until the preamp is known
            for (std::size_t i = 0; i < frames; ++i) track.signal[i] += one[i];
            if (options.alone) r.alone[d][m] = one;
        }
        if (track.id == "trigger") track.signal = triggerTrack(r.strokes, frames, rate);
        if (track.id == "crush") crush(track.signal, rate);
        if (has(options.setup.turned, track.id)) {
            for (float& v : track.signal) v = -v;
            for (auto& drum : r.drumInMic) drum[m].polarity = -drum[m].polarity;
            for (auto& drum : r.alone) {
                for (float& v : drum[m]) v = -v;
            }
        }
    });
    // Preamps: every mic (pairs together) to its usual peak; then noise.
    for (std::size_t m = 0; m < r.mics.size();) {
        const std::size_t last =
            r.mics[m].channelOfPair == 0 ? m + 1 : m;  // a pair shares its gain
        const float peak = std::max(peakOf(r.mics[m].signal), peakOf(r.mics[last].signal));
        const double gain =
            gainFromDb(stage.mics[m].peakDb) / std::max(1e-6, static_cast<double>(peak));
        Random random(options.seed * 997 + m);
        const auto noise = static_cast<float>(gainFromDb(options.noiseDb));
        for (; m <= last; ++m) {
            for (float& x : r.mics[m].signal)
                x = x * static_cast<float>(gain) + noise * random.noise();
            for (std::size_t d = 0; d < kDrums; ++d)
                r.drumInMic[d][m].levelDb = dbFromGain(r.drumInMic[d][m].levelDb * gain);
            for (auto& drum : r.alone) {
                for (float& x : drum[m]) x *= static_cast<float>(gain);
            }
        }
    }
    if (options.guests) {
        r.bass = playBass(r.strokes, options);
        mixReference(r);
    }
    return r;
}

}  // namespace ember::demo
