// Who is who: which microphone is which, from names, sound and the whole set together.
#pragma once

#include "core/base/units.h"
#include "core/session/session.h"

#include <array>
#include <span>
#include <string>
#include <vector>

namespace ember {

// One row to be, as it was recorded, and what its name said.
struct Candidate {
    std::vector<std::span<const float>> channels;  // one or two
    Frames offset = 0;                             // song frame of the first sample
    RowKind kind = RowKind::element;
    Role named = Role::unknown;
    double namedSure = 0.0;  // 0..1; 0: the name says nothing
};

struct Who {
    Role role = Role::unknown;
    RowKind kind = RowKind::element;
    Identity identity;
};

// Roles that sound tells apart.
inline constexpr std::array kSoundRoles{
    Role::kickIn,   Role::kickOut, Role::snareTop, Role::snareBottom, Role::hat, Role::rackTom,
    Role::floorTom, Role::ride,    Role::overhead, Role::room,        Role::kit, Role::trigger};

// What one microphone is like beside the others: whose strokes it hears first and loudest, how much
// of everything it hears and how late, what its own strokes look like, and how its closest
// companion differs from it. Nothing depends on gain.
inline constexpr std::size_t kTraits = 36;
using Traits = std::array<double, kTraits>;

// Traits of all candidates from the first 100 seconds; silent ones are all 0 and `heard` false.
struct KitTraits {
    std::vector<Traits> traits;
    std::vector<bool> heard;
};
KitTraits kitTraits(const std::vector<Candidate>& candidates, double sampleRate);

// Probabilities of kSoundRoles by sound alone (multinomial logistic regression: Bishop, Pattern
// Recognition and Machine Learning, 2006, 4.3.4; the weights are fitted by ember-fit-who on kits
// that no test judges).
std::array<double, kSoundRoles.size()> soundOdds(const Traits& traits);

// A role for every candidate. A name is believed unless sound speaks strongly against it, then it
// is less sure; roles that come once in a kit are given once. Unsure is an answer. Spreads over
// cores; pure.
std::vector<Who> whoIsWho(const std::vector<Candidate>& candidates, double sampleRate);

}  // namespace ember
