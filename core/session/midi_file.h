// Standard MIDI files, read through libsmf with what it lets pass refused.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <span>
#include <string>

namespace ember {

inline constexpr std::size_t kLargestMidi = std::size_t{64} << 20U;  // bytes

// One event of a file: its time in pulses, its bytes, and the track it stands in, from 1.
struct MidiEvent {
    std::int64_t pulse = 0;
    std::span<const unsigned char> bytes;
    int track = 1;
};

// Calls `each` for every event in order of time; returns the pulses a quarter note. `name` is for
// sentences. Formats 0 and 1, running status and any tempo. Throws Error with the file's name where
// it is no such file, broken, cut short or larger than kLargestMidi, and where it counts film
// frames in place of beats; what `each` throws gets the name in front.
int readMidi(const std::string& bytes, const std::string& name,
             const std::function<void(const MidiEvent&, int pulses)>& each);
// A file's bytes; of one that is too large nothing, which readMidi() refuses. Throws Error where it
// cannot be opened.
std::string midiBytes(const std::filesystem::path& file);

}  // namespace ember
