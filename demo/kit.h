// A simulated drum kit, drummer, room and set of microphones: demo recording, test
// material, and its own truth. Deterministic by seed.
//
// Heads are banks of inharmonic decaying modes with a pitch glide (modes of loaded
// membranes: Fletcher & Rossing, "The Physics of Musical Instruments", 2nd ed. 1998,
// ch. 18); cymbals are dense banks that keep ringing from stroke to stroke (ibid. ch. 20). Stroke
// velocity changes level and tone through the contact time of stick and head.
#pragma once

#include "core/audio/buffer.h"

#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace ember::demo {

enum class Drum { kick, snare, hat, rackTom, floorTom, ride, crash };
inline constexpr int kDrums = 7;
inline constexpr const char* kDrumNames[kDrums] = {"kick",  "snare", "hihat", "tom-1",
                                                   "tom-2", "ride",  "crash"};

enum class StrokeKind { accent, normal, ghost, flam };
// rim: the stick lies on the head and strikes the rim. halfOpen, choke: a hat that is neither, a
// cymbal that is grabbed.
enum class Articulation { normal, closed, open, pedal, bell, rim, halfOpen, choke };

struct Stroke {
    double time = 0.0;  // seconds; the stick meets the head
    Drum drum = Drum::kick;
    double velocity = 0.8;  // 0..1
    StrokeKind kind = StrokeKind::normal;
    Articulation articulation = Articulation::normal;
};

enum class MicSet { full, reduced, stereo };  // reduced: kick, snare, overheads
enum class Overheads { spaced, crossed, mono };

// What a session has otherwise than the full set.
struct Setup {
    std::vector<std::string> without;  // ids of microphones that are not there
    std::vector<std::string> more;     // "knee", "front", "crush" (a room pressed flat), "trigger"
    std::vector<std::string> turned;   // ids of microphones of the wrong polarity
    Overheads overheads = Overheads::spaced;
    double bleedDb = 0.0;  // more of the other drums in every close microphone
    // A sampled kit: every drum was recorded by itself, so its close microphones hear nothing else
    // and nothing hums along.
    bool isolated = false;
};

struct KitOptions {
    std::uint64_t seed = 1;
    double sampleRate = 48000.0;
    double seconds = 90.0;
    double tempo = 104.0;
    MicSet mics = MicSet::full;
    double variation = 0.0;  // 0: the demo kit; 1: tuning, damping and places up to 30 % away
    double noiseDb = -78.0;  // noise floor of each mic, dBFS
    double roomT60 = 0.42;   // seconds
    bool ghosts = true;
    bool dense = false;  // sixteenths throughout, rolls, cross-sticks: no drum is alone for long
    bool guests = true;  // bass and reference too
    bool alone = false;  // every drum by itself in every microphone too
    Setup setup;
};

struct Mode {
    double frequency = 100.0, t60 = 0.5, level = 1.0;
};

// The bodies that sound, with everything that varies from kit to kit.
struct Kit {
    double kickHz = 54.0, snareHz = 196.0, rackHz = 121.0, floorHz = 81.0;
    double kickT60 = 0.42, snareT60 = 0.22, rackT60 = 0.85, floorT60 = 1.1;
    double snareRingHz = 571.0, snareRingT60 = 0.6;
    double wireLevel = 1.0, rideT60 = 2.6, crashT60 = 2.2, hatOpenT60 = 0.9;
};
Kit makeKit(const KitOptions& options);

// The drummer: strokes in order of time.
std::vector<Stroke> playScore(const KitOptions& options);

// What each drum radiates at one metre, without a room. A drum has one or two outlets (kick:
// beater side and front head; snare: top head and wires).
struct Radiation {
    std::vector<float> first, second;
};
Radiation radiate(Drum drum, const Kit& kit, const std::vector<Stroke>& strokes,
                  const KitOptions& options);

struct MicTrack {
    std::string id, name;  // "kick-in", "Kick In"
    std::vector<float> signal;
    int channelOfPair = -1;  // 0 left, 1 right, -1 alone
};

struct DrumInMic {
    double delayMs = 0.0;     // stroke to arrival
    int polarity = 1;         // against the drum's own close mic
    double levelDb = -150.0;  // loudest sample of this drum in this mic, dBFS
};

struct Recording {
    KitOptions options;
    Kit kit;
    std::vector<Stroke> strokes;
    std::vector<MicTrack> mics;
    std::vector<std::vector<DrumInMic>> drumInMic;  // [drum][mic]
    // What each drum gives each microphone, which sum to it but for its noise: [drum][mic]. Empty
    // unless asked for.
    std::vector<std::vector<std::vector<float>>> alone;
    std::vector<float> bass;  // guest, mono
    std::vector<float> referenceLeft, referenceRight;
};

// What a drum radiates, in place of radiate(): recordings of real drums, say.
using Sound = std::function<Radiation(Drum, const std::vector<Stroke>&, const KitOptions&)>;

Recording record(const KitOptions& options, const Sound& sound = {});

// Writes one 24-bit WAV a microphone (pairs as one stereo file for the room, two mono files
// for the overheads), bass, reference and truth.json. Returns the files written.
std::vector<std::filesystem::path> writeRecording(const Recording& recording,
                                                  const std::filesystem::path& folder);
std::string truthJson(const Recording& recording);

}  // namespace ember::demo
