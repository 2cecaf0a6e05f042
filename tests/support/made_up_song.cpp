#include "tests/support/made_up_song.h"

#include "core/base/random.h"
#include "core/base/units.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <map>
#include <numbers>

namespace ember::test {
namespace {

using std::numbers::pi;
using Signal = std::vector<float>;

constexpr double kFirstBar = 1.2;  // of the drummers of demo/score.cpp
// Seconds until a note has begun and until it has ended.
constexpr double kRelease = 0.04;

double pitch(double note) {
    return 440.0 * std::exp2((note - 69.0) / 12.0);
}

double rmsOf(const Signal& x) {
    double sum = 0.0;
    for (const float v : x) sum += static_cast<double>(v) * static_cast<double>(v);
    return std::sqrt(sum / static_cast<double>(std::max<std::size_t>(x.size(), 1)));
}

// A low-pass of one pole, in place.
void duller(Signal& x, double hertz, double rate) {
    const double a = 1.0 - std::exp(-2.0 * pi * hertz / rate);
    double y = 0.0;
    for (float& v : x) v = static_cast<float>(y += a * (static_cast<double>(v) - y));
}

// A note of some partials, `fall` dB an octave; `attack` seconds up, `decay` seconds down to a
// tenth (0: as long as it lasts).
struct Tone {
    double fall = 9.0, attack = 0.01, decay = 0.0, vibrato = 0.0;
    int partials = 12;
};
void play(Signal& out, double rate, double at, double seconds, double hertz, double level,
          const Tone& tone) {
    const auto first = static_cast<std::size_t>(std::max(0.0, at) * rate);
    const auto frames = static_cast<std::size_t>((seconds + kRelease) * rate);
    double phase = 0.0;
    for (std::size_t i = 0; i < frames && first + i < out.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        phase += hertz / rate * (1.0 + 0.006 * tone.vibrato * std::sin(2.0 * pi * 5.3 * t));
        double envelope = std::min(1.0, t / tone.attack);
        if (tone.decay > 0.0) envelope *= std::pow(0.1, t / tone.decay);
        if (t > seconds) envelope *= std::max(0.0, 1.0 - (t - seconds) / kRelease);
        double sum = 0.0;
        for (int p = 1; p <= tone.partials && hertz * p < 0.45 * rate; ++p)
            sum += gainFromDb(-tone.fall * std::log2(p)) * std::sin(2.0 * pi * p * phase);
        out[first + i] += static_cast<float>(level * envelope * sum);
    }
}

// What a consonant is: noise for a few hundredths of a second.
void hiss(Signal& out, double rate, double at, double seconds, double level, Random& random) {
    const auto first = static_cast<std::size_t>(std::max(0.0, at) * rate);
    const auto frames = static_cast<std::size_t>(seconds * rate);
    float before = 0.0F;
    for (std::size_t i = 0; i < frames && first + i < out.size(); ++i) {
        const float now = random.noise();
        const double w = std::sin(pi * static_cast<double>(i) /
                                  static_cast<double>(std::max<std::size_t>(frames, 1)));
        out[first + i] += static_cast<float>(level * w) * (now - before);
        before = now;
    }
}

struct Parts {
    Signal bass, chords, voice;
};

Parts playParts(Random& random, double rate, double tempo, std::size_t frames,
                const std::function<bool(double)>& plays) {
    Parts out{Signal(frames), Signal(frames), Signal(frames)};
    const double beat = 60.0 / tempo, root = 28.0 + std::floor(random.uniform(0.0, 12.0));
    const std::array<int, 4> way{0, random.uniform() < 0.5 ? 5 : 8, 3,
                                 random.uniform() < 0.5 ? 7 : 10};
    const int bassPart = static_cast<int>(random.uniform(0.0, 3.0)),
              chordPart = static_cast<int>(random.uniform(0.0, 3.0));
    const Tone bassTone{random.uniform(4.0, 14.0), random.uniform(0.003, 0.02),
                        random.uniform() < 0.5 ? 0.0 : random.uniform(0.3, 1.0), 0.0, 10};
    const Tone padTone{random.uniform(5.0, 11.0), 0.15, 0.0, 0.3, 10};
    const Tone pluckTone{random.uniform(4.0, 9.0), 0.002, random.uniform(0.2, 0.9), 0.0, 14};
    const double end = static_cast<double>(frames) / rate;
    int bar = 0;
    for (double at = kFirstBar; at < end; at += 4.0 * beat, ++bar) {
        if (!plays(at)) continue;
        const double chord = root + way[static_cast<std::size_t>(bar % 4)];
        // Bass: with beats one and three and an off-beat, in eighths, or held.
        const int steps = bassPart == 1 ? 8 : bassPart == 0 ? 4 : 1;
        for (int s = 0; s < steps; ++s) {
            const double late = random.normal() * 0.008, length = 4.0 * beat / steps;
            const double where =
                bassPart == 0
                    ? std::array<double, 4>{0.0, 1.5, 2.0, 3.5}[static_cast<std::size_t>(s)] * beat
                    : s * length;
            play(out.bass, rate, at + where + late, 0.85 * std::min(length, beat),
                 pitch(chord + (s % 4 == 3 ? 12.0 : 0.0)), 1.0, bassTone);
        }
        // Chords: held, strummed in eighths, or struck on the off-beats.
        const int strums = chordPart == 0 ? 1 : chordPart == 1 ? 8 : 4;
        for (int s = 0; s < strums; ++s) {
            const double length = 4.0 * beat / strums,
                         where = s * length + (chordPart == 2 ? 0.5 * beat : 0.0);
            for (const double up : {24.0, 28.0 - (bar % 2), 31.0, 36.0})
                play(out.chords, rate,
                     at + where + (chordPart == 1 ? 0.004 * (up - 24.0) : 0.0) +
                         0.006 * random.normal(),
                     0.8 * length, pitch(chord + up), random.uniform(0.6, 1.0),
                     chordPart == 0 ? padTone : pluckTone);
        }
        // Voice: syllables that begin with a consonant or softly.
        for (double t = 0.0; t < 4.0 * beat;) {
            const double length =
                beat *
                std::array{0.5, 1.0, 1.5}[static_cast<std::size_t>(random.uniform(0.0, 3.0))];
            if (random.uniform() < 0.8) {
                const double start = at + t + 0.03 * random.normal();
                if (random.uniform() < 0.6)
                    hiss(out.voice, rate, start - 0.06, random.uniform(0.015, 0.1),
                         random.uniform(0.2, 1.0), random);
                play(out.voice, rate, start, 0.8 * length,
                     pitch(chord + 24.0 + std::floor(random.uniform(0.0, 12.0))), 1.0,
                     {random.uniform(5.0, 9.0), 0.03, 0.0, 1.0, 20});
            }
            t += length;
        }
    }
    duller(out.chords, random.uniform(2000.0, 8000.0), rate);
    return out;
}

}  // namespace

MadeUpSong madeUpSong(World world, Half half, int number, double seconds) {
    const auto truth = worldKit(world, half, number, demo::MicSet::full, seconds);
    const demo::Recording& kit = truth->recording();
    Random random(static_cast<std::uint64_t>(7000 + 1000 * static_cast<int>(world) +
                                             100 * static_cast<int>(half) + number));
    MadeUpSong song;
    song.rate = kit.options.sampleRate;
    song.tempo = kit.options.tempo;
    song.firstBar = kFirstBar;
    const double bar = 240.0 / song.tempo;
    const auto bars = static_cast<int>((seconds - kFirstBar) / bar);
    const int bareBar = std::max(1, bars / 3), stillBar = std::max(bareBar + 3, (2 * bars) / 3);
    song.bare = {kFirstBar + bareBar * bar, kFirstBar + (bareBar + 2) * bar};
    song.still = {kFirstBar + stillBar * bar, kFirstBar + (stillBar + 2) * bar};
    const std::size_t frames = kit.mics.front().signal.size();
    // A plain mix of the microphones.
    static const std::map<std::string, std::array<double, 2>> kPlaces{
        {"kick-in", {0.9, 0.9}},    {"snare-top", {0.8, 0.8}}, {"rack-tom", {0.7, 0.4}},
        {"floor-tom", {0.4, 0.7}},  {"overhead", {0.6, 0.6}},  {"overhead-l", {0.8, 0.1}},
        {"overhead-r", {0.1, 0.8}}, {"room-l", {0.4, 0.0}},    {"room-r", {0.0, 0.4}}};
    std::array<Signal, 2> drums{Signal(frames), Signal(frames)};
    for (const demo::MicTrack& mic : kit.mics) {
        const auto place = kPlaces.find(mic.id);
        if (place == kPlaces.end()) continue;
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < frames; ++i)
                drums[c][i] += static_cast<float>(place->second[c]) * mic.signal[i];
        }
    }
    // No drums while it is still: they are faded, and cut where they begin again.
    const auto stillAt = [&](double t) {
        return t >= song.still.first - 0.02 && t < song.still.second - 0.02;
    };
    double gate = 1.0;
    for (std::size_t i = 0; i < frames; ++i) {
        const bool closed = stillAt(static_cast<double>(i) / song.rate);
        gate = closed ? gate * std::exp(-1.0 / (0.01 * song.rate)) : 1.0;
        for (Signal& side : drums) side[i] *= static_cast<float>(gate);
    }
    for (const demo::Stroke& s : kit.strokes) {
        Stroke stroke;
        stroke.drum = truth->drumOf(s);
        const bool close = s.drum == demo::Drum::kick || s.drum == demo::Drum::snare;
        stroke.time =
            s.time +
            (!close ? 0.0 : truth->delay(s, s.drum == demo::Drum::kick ? "kick-in" : "snare-top"));
        stroke.velocity = s.velocity;
        stroke.kind = static_cast<StrokeKind>(s.kind);
        if (!stillAt(s.time)) song.strokes.push_back(std::move(stroke));
    }
    const Parts parts = playParts(random, song.rate, song.tempo, frames, [&](double at) {
        return at < song.bare.first - 0.1 * bar || at > song.bare.second - 0.1 * bar;
    });
    const double under = gainFromDb(random.uniform(-6.0, 4.0)) * rmsOf(drums[0]);
    const auto levelled = [&](const Signal& x, double db) {
        return under * gainFromDb(db) / std::max(1e-9, rmsOf(x));
    };
    const double bass = levelled(parts.bass, random.uniform(-4.0, 0.0)),
                 chords = levelled(parts.chords, random.uniform(-9.0, -3.0)),
                 voice = levelled(parts.voice, random.uniform(-8.0, -2.0)),
                 lean = random.uniform(-0.5, 0.5);
    double peak = 1e-9;
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < frames; ++i) {
            drums[c][i] += static_cast<float>(bass * static_cast<double>(parts.bass[i]) +
                                              chords * (c == 0 ? 1.0 - lean : 1.0 + lean) *
                                                  static_cast<double>(parts.chords[i]) +
                                              voice * static_cast<double>(parts.voice[i]));
            peak = std::max(peak, std::abs(static_cast<double>(drums[c][i])));
        }
    }
    // Pressed into the ceiling, as records are.
    const double drive = random.uniform(1.0, 4.0) / peak;
    for (std::size_t c = 0; c < 2; ++c) {
        for (float& x : drums[c])
            x = static_cast<float>(0.9 * std::tanh(drive * static_cast<double>(x)));
    }
    song.left = std::move(drums[0]);
    song.right = std::move(drums[1]);
    return song;
}

}  // namespace ember::test
