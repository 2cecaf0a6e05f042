// The microphones of a kit as the measurements see them, and the drums they stand at.
#pragma once

#include "core/audio/store.h"
#include "core/session/session.h"

#include <memory>
#include <span>
#include <string>
#include <vector>

namespace ember {

struct MicSignal {
    std::string id;
    Role role = Role::unknown;
    std::vector<std::span<const float>> channels;  // one or two
    Frames offset = 0;      // song frame of the first sample of every channel
    std::string name = {};  // what people call it

    [[nodiscard]] float at(std::size_t channel, Frames song) const {
        const Frames i = song - offset;
        const auto& x = channels[channel];
        return i >= 0 && i < std::ssize(x) ? x[static_cast<std::size_t>(i)] : 0.0F;
    }
};

struct KitDrum {
    std::string id;  // "floor-tom"
    DrumFamily family = DrumFamily::percussion;
    std::vector<int> mics;  // its own close microphones, best for timing first; may be empty
    std::string name = {};  // "Floor Tom"
    std::string kind = {};  // drumKind(): "tom-2"
};

struct KitMics {
    double sampleRate = 48000.0;
    std::vector<MicSignal> mics;
    std::vector<KitDrum> drums;
    Frames end = 0;                                 // song frame after the last sample
    std::vector<std::shared_ptr<const Clip>> held;  // keeps the samples mapped
    std::vector<std::vector<float>> padded;         // sides shorter than their pair
};

// Whether this is heard by a microphone at all: samples, loops and triggers are not.
bool isMicrophone(Role role);

// The drums of a session's microphones, those with close microphones by their lasting ids. A kit
// that something hears as a whole also has the usual drums nobody put a microphone to: kick, snare,
// hi-hat, toms ("tom") and cymbals ("cymbal"). `mics` of each are places among the session's
// elements that have recordings.
std::vector<KitDrum> drumsOf(const Session& session);
// The same for microphones of these roles, drums numbered as they come.
std::vector<KitDrum> drumsOf(const std::vector<Role>& roles);
// Kinds (see drumKind()) for drum ids of a session.
std::string drumKindIn(const Session& session, std::string_view drum);
// The id of the drum whose strokes a row of this session stands for, empty when it hears the whole
// kit or is no element.
std::string drumOfRow(const Session& session, std::string_view row);
// The drum whose strokes drive a stage of a row: that of what it is keyed by (of a bus whose
// members all stand at one drum, that one), or else the row's own.
std::string drumDriving(const Session& session, std::string_view row, const Stage& stage);

// Whether a row is listened to: an element that plays recordings, and not a part of another one's.
bool isListenedTo(const Row& row);
// Every element of the session that is listened to; guests and references are left out. Recordings
// of a pair may begin and end apart. Throws Error when a recording cannot be read.
KitMics kitMics(const Session& session, AudioStore& store, const Progress& progress = {});

}  // namespace ember
