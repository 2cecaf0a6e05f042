#include "tests/support/recorded_kit.h"

#include "core/base/fft.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "tests/support/sound_set.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <map>
#include <memory>
#include <mutex>
#include <numbers>
#include <stdexcept>

namespace ember::test {
namespace {

constexpr std::array<int, 6> kVelocities{60, 84, 92, 100, 108, 124};

// Played by cubic interpolation, `speed` times as fast, with a further decay and a softer tone.
void add(std::vector<float>& out, std::size_t at, const OneShot& shot, double gain, double speed,
         double cutoff, double decayPerSecond, double length, double rate) {
    const double step =
        1.0 - std::exp(-2.0 * std::numbers::pi * std::min(cutoff, 0.45 * rate) / rate);
    const double fall = std::exp(-decayPerSecond / rate);
    const auto fade = 0.02 * rate, most = length * rate;
    double once = 0.0, twice = 0.0, envelope = gain;
    for (std::size_t i = 0; at + i < out.size(); ++i) {
        const double place = static_cast<double>(i) * speed;
        const auto k = static_cast<std::size_t>(place);
        if (k + 3 >= shot.size() || static_cast<double>(i) > most + fade) break;
        const double t = place - static_cast<double>(k);
        const auto s = [&](std::size_t n) { return static_cast<double>(shot[n]); };
        const double a = s(k > 0 ? k - 1 : 0), b = s(k), c = s(k + 1), d = s(k + 2);
        double v =
            b +
            0.5 * t * (c - a + t * (2.0 * a - 5.0 * b + 4.0 * c - d + t * (3.0 * (b - c) + d - a)));
        if (static_cast<double>(i) > most) v *= 1.0 - (static_cast<double>(i) - most) / fade;
        once += step * (v * envelope - once);
        twice += step * (once - twice);
        out[at + i] += static_cast<float>(twice);
        envelope *= fall;
    }
}

// Power of a stretch of a one-shot between two frequencies.
double powerOf(const OneShot& shot, double low, double high, double rate) {
    RealFft fft(16384);
    const auto time = fft.time();
    std::fill(time.begin(), time.end(), 0.0F);
    const auto from = static_cast<std::size_t>(0.05 * rate);
    for (std::size_t i = 0; i < time.size() && from + i < shot.size(); ++i) {
        const double w =
            0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / 16384.0);
        time[i] = static_cast<float>(w) * shot[from + i];
    }
    const auto bins = fft.forward();
    double sum = 0.0;
    for (std::size_t k = 0; k < bins.size(); ++k) {
        const double hertz = static_cast<double>(k) * rate / 16384.0;
        if (hertz >= low && hertz < high) sum += static_cast<double>(std::norm(bins[k]));
    }
    return sum;
}

struct Sounds {
    // By drum and what is struck: normal strokes by velocity, then what other articulations need.
    std::array<std::vector<OneShot>, demo::kDrums> normal;
    std::vector<OneShot> wires, rim, open, pedal, bell;
    std::array<double, demo::kDrums> tune{}, tilt{};  // tilt: dB of everything above 2 kHz
};

// How loud drums are beside each other: a closed hat does not peak like a snare (dB).
constexpr std::array<double, demo::kDrums> kLevels{0.0, 0.0, -9.0, -3.0, -3.0, -10.0, -4.0};

struct Choice {
    SetNote kick, snare, wires, rack, floor, hat, ride, crash;
    int rim = 37, hatOpen = 46, hatPedal = 44, bell = 53;
};

template <typename T, std::size_t N>
T pick(const std::array<T, N>& from, int number, int prime) {
    return from[static_cast<std::size_t>(number * prime) % N];
}

// Which recordings a half may use. No recording stands in both.
Choice choose(Half half, int n, bool small) {
    Choice c;
    if (small) {
        c.kick = {false, n % 2 == 0 ? 0 : 16, 36};
        c.snare = {false, 0, n % 2 == 0 ? 38 : 40};
        c.wires = {false, 0, n % 2 == 0 ? 40 : 38};
        c.rack = {false, 0, 48};
        c.floor = {false, 0, 43};
        c.hat = {false, 0, 42};
        c.ride = {false, 0, 51};
        c.crash = {false, 0, 49};
    } else if (half == Half::fitted) {
        c.kick = pick(std::array<SetNote, 6>{{{true, 1, 36},
                                              {true, 2, 36},
                                              {true, 3, 36},
                                              {true, 17, 36},
                                              {true, 11, 36},
                                              {true, 6, 36}}},
                      n, 5);
        c.snare = pick(
            std::array<SetNote, 5>{
                {{true, 1, 38}, {true, 2, 38}, {true, 18, 38}, {true, 24, 38}, {false, 0, 38}}},
            n, 3);
        c.wires = {c.snare.large, c.snare.program, 40};
        c.rack = n % 3 == 2 ? SetNote{false, 0, 48} : SetNote{true, 16, n % 2 == 0 ? 48 : 47};
        c.floor = n % 3 == 2 ? SetNote{false, 0, 43} : SetNote{true, 16, n % 2 == 0 ? 45 : 41};
        // The small set's sounds are short loops that flutter, and one hat of the large set is a
        // machine's: good enough to learn from. The one recorded hat is judged.
        c.hat = n % 2 == 0 ? SetNote{false, 0, 42} : SetNote{true, 25, 42};
        c.ride = n % 3 == 1 ? SetNote{false, 0, 51} : SetNote{true, 0, 51};
        c.crash = n % 3 == 1 ? SetNote{false, 0, 49} : SetNote{true, 0, 49};
    } else {
        c.kick = pick(std::array<SetNote, 6>{{{true, 0, 36},
                                              {true, 4, 36},
                                              {true, 5, 36},
                                              {true, 18, 36},
                                              {true, 7, 36},
                                              {true, 16, 36}}},
                      n, 5);
        c.snare = pick(
            std::array<SetNote, 4>{{{true, 0, 38}, {true, 3, 38}, {true, 17, 38}, {true, 16, 38}}},
            n, 3);
        c.wires = {true, c.snare.program, 40};
        c.rack = {true, 0, n % 2 == 0 ? 48 : 47};
        c.floor = {true, 0, n % 2 == 0 ? 43 : 41};
        c.hat = {true, 0, 42};
        c.ride = {true, 0, 59};
        c.crash = n % 2 == 0 ? SetNote{true, 0, 57} : SetNote{true, 0, 52};
    }
    return c;
}

Sounds makeSounds(const Choice& c, Half half, Random& random, double rate) {
    Sounds s;
    const auto layers = [&](const SetNote& note, double seconds) {
        std::vector<OneShot> out;
        for (const int v : kVelocities) out.push_back(renderShot(note, v, rate, seconds));
        return out;
    };
    const std::array<SetNote, demo::kDrums> notes{c.kick,  c.snare, c.hat,  c.rack,
                                                  c.floor, c.ride,  c.crash};
    const std::array<double, demo::kDrums> seconds{1.2, 1.5, 0.8, 2.5, 3.0, 4.0, 5.0};
    for (std::size_t d = 0; d < notes.size(); ++d) {
        s.normal[d] = layers(notes[d], seconds[d]);
        // Heads are tuned to the song; cymbals come as they are.
        s.tune[d] = d == 1 || d == 3 || d == 4 ? random.uniform(0.92, 1.09)
                    : d == 0                   ? random.uniform(0.96, 1.06)
                                               : random.uniform(0.98, 1.02);
        // There are few recordings to learn from: more is made of each, so that none is learnt by
        // heart. What is judged comes as it is.
        if (half == Half::judged) continue;
        s.tune[d] *= random.uniform(0.82, 1.2);
        s.tilt[d] = random.uniform(-9.0, 9.0);
    }
    const auto one = [&](const SetNote& like, int key, double length) {
        // A ride's bell stands in the standard kit, a hat's other sounds beside it.
        return std::vector<OneShot>{renderShot({like.large, like.program, key}, 100, rate, length)};
    };
    s.wires = layers(c.wires, 1.5);
    s.rim = one(c.snare, c.rim, 0.6);
    s.open = one(c.hat, c.hatOpen, 2.5);
    s.pedal = one(c.hat, c.hatPedal, 0.6);
    s.bell = one(c.ride, c.bell, 4.0);
    return s;
}

const OneShot& layer(const std::vector<OneShot>& layers, double velocity) {
    const auto n = static_cast<double>(layers.size());
    return layers[static_cast<std::size_t>(std::clamp(velocity * n, 0.0, n - 1.0))];
}

// The same drum heard where it is dull, or where it is bright.
void filter(std::vector<float>& x, double hertz, bool high, double rate) {
    const double step = 1.0 - std::exp(-2.0 * std::numbers::pi * hertz / rate);
    double once = 0.0, twice = 0.0;
    for (float& v : x) {
        once += step * (static_cast<double>(v) - once);
        twice += step * (once - twice);
        v = static_cast<float>(high ? static_cast<double>(v) - twice : twice);
    }
}

void addRing(std::vector<float>& out, std::size_t at, double hertz, double t60, double level,
             double rate) {
    const auto frames = static_cast<std::size_t>(1.2 * t60 * rate);
    for (std::size_t i = 0; i < frames && at + i < out.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        out[at + i] += static_cast<float>(level * std::exp(-6.9078 * t / t60) *
                                          std::sin(2.0 * std::numbers::pi * hertz * t));
    }
}

demo::Radiation play(demo::Drum drum, const std::vector<demo::Stroke>& strokes,
                     const demo::KitOptions& o, const Sounds& sounds,
                     const std::vector<KnownRing>& rings, const std::vector<double>& ringLevel) {
    using demo::Articulation;
    const auto frames = static_cast<std::size_t>(o.seconds * o.sampleRate);
    const auto d = static_cast<std::size_t>(drum);
    demo::Radiation out;
    out.first.assign(frames, 0.0F);
    if (drum == demo::Drum::kick || drum == demo::Drum::snare) out.second.assign(frames, 0.0F);
    Random random(o.seed * 613 + 7 * d + 1);
    bool left = false;
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        const demo::Stroke& s = strokes[i];
        if (s.drum != drum) continue;
        left = !left;
        double length = 10.0, decay = std::abs(0.4 * random.normal());
        const std::vector<OneShot>* from = &sounds.normal[d];
        if (drum == demo::Drum::snare && s.articulation == Articulation::rim) from = &sounds.rim;
        if (drum == demo::Drum::ride && s.articulation == Articulation::bell) from = &sounds.bell;
        if (drum == demo::Drum::hat) {
            if (s.articulation == Articulation::open || s.articulation == Articulation::halfOpen)
                from = &sounds.open;
            if (s.articulation == Articulation::halfOpen) decay += 9.0;
            if (s.articulation == Articulation::pedal) from = &sounds.pedal;
            // The next stroke of the hat ends this one.
            for (std::size_t k = i + 1; k < strokes.size(); ++k) {
                if (strokes[k].drum != drum || strokes[k].time <= s.time) continue;
                length = strokes[k].time - s.time;
                break;
            }
        }
        if (s.articulation == Articulation::choke) length = 0.3;
        const double v = s.velocity, gain = std::pow(v, 1.45) * gainFromDb(kLevels[d]);
        // Soft strokes are darker; one hand strikes harder than the other.
        const double bright = (left ? 1.0 : 0.88) * (1.0 + 0.06 * random.normal());
        const double cutoff = bright * (2200.0 + 26000.0 * v * v);
        const double speed = sounds.tune[d] * (1.0 + 0.0025 * random.normal() + 0.006 * (v - 0.6));
        const auto at = static_cast<std::size_t>(std::llround(s.time * o.sampleRate));
        add(out.first, at, layer(*from, v), gain, speed, cutoff, decay, length, o.sampleRate);
        if (drum == demo::Drum::kick)
            add(out.second, at + static_cast<std::size_t>(0.0004 * o.sampleRate), layer(*from, v),
                1.2 * gain, speed, cutoff, decay, length, o.sampleRate);
        if (drum == demo::Drum::snare && s.articulation != Articulation::rim)
            add(out.second, at + static_cast<std::size_t>(0.0009 * o.sampleRate),
                layer(sounds.wires, v), 0.8 * gain, 1.01 * speed, cutoff, decay, length,
                o.sampleRate);
        for (std::size_t r = 0; r < rings.size(); ++r) {
            if (rings[r].drum == drum && random.uniform() < rings[r].share)
                addRing(out.first, at, rings[r].hertz, rings[r].t60, gain * ringLevel[r],
                        o.sampleRate);
        }
    }
    if (sounds.tilt[d] != 0.0) {
        std::vector<float> bright = out.first;
        filter(bright, 2000.0, true, o.sampleRate);
        const auto more = static_cast<float>(gainFromDb(sounds.tilt[d]) - 1.0);
        for (std::size_t i = 0; i < bright.size(); ++i) out.first[i] += more * bright[i];
    }
    if (drum == demo::Drum::kick) filter(out.second, 900.0, false, o.sampleRate);
    if (drum == demo::Drum::snare) filter(out.second, 700.0, true, o.sampleRate);
    return out;
}

// Every drum's own tone: strokes at several velocities, one at a time, without what was added.
std::vector<DrumTruth> truthOf(const Sounds& sounds, const demo::KitOptions& kit) {
    constexpr double kApart = 2.5;
    constexpr std::array<SettledRange, demo::kDrums> ranges{{{0.11, 0.40, 30.0, 110.0},
                                                             {0.03, 0.20, 95.0, 340.0},
                                                             {},
                                                             {0.12, 0.50, 60.0, 260.0},
                                                             {0.12, 0.50, 45.0, 200.0},
                                                             {},
                                                             {}}};
    std::vector<DrumTruth> out(demo::kDrums);
    demo::KitOptions o = kit;
    const std::array velocities{0.6, 0.7, 0.8, 0.9};
    o.seconds = kApart * static_cast<double>(velocities.size());
    for (std::size_t d = 0; d < out.size(); ++d) {
        if (ranges[d].high <= 0.0) continue;
        std::vector<demo::Stroke> strokes;
        for (std::size_t i = 0; i < velocities.size(); ++i)
            strokes.push_back({kApart * static_cast<double>(i), static_cast<demo::Drum>(d),
                               velocities[i], demo::StrokeKind::normal,
                               demo::Articulation::normal});
        const demo::Radiation alone = play(static_cast<demo::Drum>(d), strokes, o, sounds, {}, {});
        const auto length = static_cast<std::ptrdiff_t>(kApart * o.sampleRate);
        std::vector<std::vector<float>> each;
        for (std::ptrdiff_t i = 0; i < std::ssize(strokes); ++i)
            each.emplace_back(alone.first.begin() + i * length,
                              alone.first.begin() + (i + 1) * length);
        out[d] = drumTruth(each, ranges[d], o.sampleRate);
    }
    return out;
}

demo::Setup setupOf(Half half, int n) {
    demo::Setup s;
    // Both halves meet every kind of set-up, in another order.
    switch ((half == Half::fitted ? n : 3 * n + 2) % 8) {
        case 1:
            s.without = {"hat"};
            s.overheads = demo::Overheads::crossed;
            break;
        case 2:
            s.bleedDb = 5.0;
            s.more = {"knee"};
            break;
        case 3:
            s.without = {"snare-bottom", "ride"};
            s.turned = {"kick-out"};
            break;
        case 4:
            s.overheads = demo::Overheads::mono;
            s.more = {"front"};
            break;
        case 5:
            s.without = {"ride", "kick-out"};
            s.more = {"crush"};
            s.bleedDb = 3.0;
            break;
        case 6:
            s.turned = {"snare-bottom", "floor-tom"};
            s.more = {"trigger"};
            break;
        case 7:
            s.without = {"ride"};
            s.overheads = demo::Overheads::crossed;
            s.bleedDb = 6.0;
            break;
        default:
            break;
    }
    return s;
}

}  // namespace

bool haveSmallSet() {
    return std::filesystem::exists(kSmallSet);
}
bool haveLargeSet() {
    return std::filesystem::exists(kLargeSet);
}

RecordedKit recordedKit(Half half, int n, demo::MicSet mics, double seconds, bool small) {
    RecordedKit kit;
    const bool judged = half == Half::judged;
    demo::KitOptions& o = kit.options;
    o.seed = static_cast<std::uint64_t>((judged ? 7000 : 3000) + n);
    Random random(o.seed * 11 + 5);
    o.seconds = seconds;
    o.mics = mics;
    o.variation = 1.0;
    o.guests = false;
    o.dense = n % 3 == 1;
    o.tempo = o.dense ? random.uniform(100.0, 132.0) : random.uniform(76.0, 168.0);
    o.roomT60 = judged ? pick(std::array{0.28, 0.42, 0.6, 0.85}, n, 1)
                       : pick(std::array{0.22, 0.36, 0.5, 0.72}, n, 1);
    o.noiseDb = n % 4 == 3 ? -62.0 : -76.0;
    o.sampleRate = n % 5 == 4 ? 44100.0 : 48000.0;
    if (mics != demo::MicSet::stereo) o.setup = setupOf(half, n);
    const Choice choice = choose(half, n, small);
    auto sounds = std::make_shared<const Sounds>(makeSounds(choice, half, random, o.sampleRate));
    constexpr std::array<demo::Drum, 3> heads{demo::Drum::snare, demo::Drum::rackTom,
                                              demo::Drum::floorTom};
    kit.truth = truthOf(*sounds, o);
    std::vector<double> levels;
    for (int r = 0; r < 1 + n % 2; ++r) {
        KnownRing ring;
        ring.drum = heads[static_cast<std::size_t>(n + r) % heads.size()];
        ring.hertz = random.uniform(380.0, ring.drum == demo::Drum::snare ? 1800.0 : 900.0);
        ring.t60 = random.uniform(0.3, 1.2);
        ring.overDb = random.uniform(6.0, 25.0);
        ring.share = random.uniform() < 0.25 ? 0.4 : 1.0;
        // The level at which its peak stands that far over what is there: a partial of amplitude a
        // and the third of an octave around it, seen through the same window.
        const OneShot& shot = layer(sounds->normal[static_cast<std::size_t>(ring.drum)], 0.9);
        OneShot alone(static_cast<std::size_t>(o.sampleRate), 0.0F);
        addRing(alone, 0, ring.hertz, ring.t60, 1.0, o.sampleRate);
        const double low = ring.hertz / 1.1225, high = ring.hertz * 1.1225;
        const double there = powerOf(shot, low, high, o.sampleRate) + 1e-9,
                     one = powerOf(alone, low, high, o.sampleRate) + 1e-12;
        levels.push_back(std::sqrt(there / one * std::pow(10.0, ring.overDb / 10.0)));
        kit.rings.push_back(ring);
    }
    kit.sound = [sounds, rings = kit.rings, levels](demo::Drum drum,
                                                    const std::vector<demo::Stroke>& strokes,
                                                    const demo::KitOptions& options) {
        return play(drum, strokes, options, *sounds, rings, levels);
    };
    return kit;
}

}  // namespace ember::test
