// Drums: what is struck, whoever hears it. An id lasts when microphones come and go; a name is for
// people.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace ember {

enum class DrumFamily { kick, snare, hat, tom, cymbal, percussion };

// Ids are made from roles and never from places in a list: "kick", "floor-tom", "crash-2". Their
// first word tells the family: "kick", "snare", "hihat", "cymbal", "ride", "crash", "tom",
// "rack-tom", "floor-tom"; anything else is percussion.
DrumFamily drumFamily(std::string_view id);
bool isTom(std::string_view id);
// Hats and cymbals: no head, no note, and they live from what is between the strokes.
bool isMetal(std::string_view id);
// A head with a note: kick, snare and toms.
bool hasNote(std::string_view id);

// The usual name of a drum with such an id: "Floor Tom", "Crash 2", "Hat".
std::string usualDrumName(std::string_view id);

struct Drum {
    std::string id, name;
    bool operator==(const Drum&) const = default;
};

// What a person or a machine calls kinds of drums: "kick", "snare", "hihat", "tom-1" from high to
// low, "cymbal", "percussion". `drums` are ids in the order of the kit.
std::string drumKind(const std::vector<std::string>& drums, std::string_view id);

}  // namespace ember
