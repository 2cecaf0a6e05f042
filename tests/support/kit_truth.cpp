#include "tests/support/kit_truth.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace ember::test {
namespace {

Role roleOf(const std::string& id) {
    static const std::map<std::string, Role> roles{{"kick-in", Role::kickIn},
                                                   {"kick-out", Role::kickOut},
                                                   {"snare-top", Role::snareTop},
                                                   {"snare-bottom", Role::snareBottom},
                                                   {"hat", Role::hat},
                                                   {"rack-tom", Role::rackTom},
                                                   {"floor-tom", Role::floorTom},
                                                   {"ride", Role::ride},
                                                   {"overhead", Role::overhead},
                                                   {"room", Role::room},
                                                   {"knee", Role::kit},
                                                   {"front", Role::room},
                                                   {"crush", Role::room},
                                                   {"trigger", Role::trigger},
                                                   {"kit", Role::kit}};
    return roles.at(id);
}

}  // namespace

demo::KitOptions variedKit(int seed, demo::MicSet mics, double seconds) {
    demo::KitOptions o;
    o.seed = static_cast<std::uint64_t>(seed);
    o.seconds = seconds;
    o.tempo = 70.0 + (seed * 37) % 121;
    o.mics = mics;
    o.variation = 1.0;
    o.noiseDb = seed % 3 == 2 ? -60.0 : -78.0;
    o.roomT60 = 0.25 + 0.1 * (seed % 6);
    o.sampleRate = seed % 5 == 3 ? 44100.0 : (seed % 7 == 5 ? 96000.0 : 48000.0);
    o.guests = false;
    return o;
}

TruthKit::TruthKit(const demo::KitOptions& options, const demo::Sound& sound)
    : recording_(demo::record(options, sound)) {
    kit_.sampleRate = options.sampleRate;
    for (std::size_t m = 0; m < recording_.mics.size(); ++m) {
        const demo::MicTrack& track = recording_.mics[m];
        if (track.channelOfPair == 1) {
            kit_.mics.back().channels.emplace_back(track.signal);
            tracks_.back().push_back(static_cast<int>(m));
            continue;
        }
        MicSignal mic;
        mic.id = track.channelOfPair == 0 ? track.id.substr(0, track.id.size() - 2) : track.id;
        mic.role = roleOf(mic.id);
        mic.channels = {track.signal};
        kit_.mics.push_back(std::move(mic));
        tracks_.push_back({static_cast<int>(m)});
        kit_.end = std::max(kit_.end, static_cast<Frames>(track.signal.size()));
    }
    std::vector<Role> roles;
    for (const MicSignal& mic : kit_.mics) roles.push_back(mic.role);
    kit_.drums = drumsOf(roles);
}

std::string TruthKit::drumOf(const demo::Stroke& stroke) const {
    const std::string id = kDrumIds[static_cast<std::size_t>(stroke.drum)];
    for (const KitDrum& d : kit_.drums) {
        if (d.id == id) return id;
    }
    return isTom(id) ? "tom" : "cymbal";
}

std::vector<Stroke> TruthKit::strokes() const {
    std::vector<Stroke> out;
    for (const demo::Stroke& s : recording_.strokes) {
        Stroke stroke;
        stroke.drum = drumOf(s);
        stroke.time = s.time;
        stroke.velocity = s.velocity;
        out.push_back(std::move(stroke));
    }
    return out;
}

double TruthKit::delay(const demo::Stroke& stroke, const std::string& mic) const {
    double least = 1e9;
    for (std::size_t m = 0; m < kit_.mics.size(); ++m) {
        if (kit_.mics[m].id != mic) continue;
        for (const int t : tracks_[m])
            least = std::min(least, recording_
                                            .drumInMic[static_cast<std::size_t>(stroke.drum)]
                                                      [static_cast<std::size_t>(t)]
                                            .delayMs *
                                        1e-3);
    }
    return least;
}

bool TruthKit::struckNear(const KitDrum& drum, double seconds) const {
    for (const demo::Stroke& s : recording_.strokes) {
        if (std::abs(s.time - seconds) > 0.05 || drumOf(s) != drum.id) continue;
        double first = 1e9;
        for (const demo::DrumInMic& d : recording_.drumInMic[static_cast<std::size_t>(s.drum)])
            first = std::min(first, d.delayMs * 1e-3);
        if (std::abs(s.time + first - seconds) < 0.011) return true;
    }
    return false;
}

}  // namespace ember::test
