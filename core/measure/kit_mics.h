// The microphones of a kit as the measurements see them, and the drums they stand at.
#pragma once

#include "core/audio/store.h"
#include "core/session/session.h"

#include <memory>
#include <span>
#include <string>
#include <vector>

namespace ember {

enum class DrumFamily { kick, snare, hat, tom, cymbal, percussion };

struct MicSignal {
    std::string id;
    Role role = Role::unknown;
    std::vector<std::span<const float>> channels;  // one or two
    Frames offset = 0;                             // song frame of the first sample

    [[nodiscard]] float at(std::size_t channel, Frames song) const {
        const Frames i = song - offset;
        const auto& x = channels[channel];
        return i >= 0 && i < std::ssize(x) ? x[static_cast<std::size_t>(i)] : 0.0F;
    }
};

struct KitDrum {
    std::string id;  // "tom-1"
    DrumFamily family = DrumFamily::percussion;
    std::vector<int> mics;  // its own close microphones, best for timing first; may be empty
};

struct KitMics {
    double sampleRate = 48000.0;
    std::vector<MicSignal> mics;
    std::vector<KitDrum> drums;
    Frames end = 0;                                 // song frame after the last sample
    std::vector<std::shared_ptr<const Clip>> held;  // keeps the samples mapped
};

// Whether a microphone of this role hears the whole kit (overheads, room, a stereo file).
bool hearsAll(Role role);

// The drums that microphones of these roles imply. A kit that something hears as a whole also has
// the usual drums nobody put a microphone to: kick, snare, hi-hat, toms ("tom-1") and cymbals.
std::vector<KitDrum> drumsOf(const std::vector<Role>& roles);
// The drum whose strokes a row of this session stands for ("snare"), empty when it hears the whole
// kit or is no element.
std::string drumOfRow(const Session& session, std::string_view row);

// Every element of the session; guests and references are left out. Throws Error when a recording
// cannot be read.
KitMics kitMics(const Session& session, AudioStore& store, const Progress& progress = {});

}  // namespace ember
