// Strokes and patterns as Standard MIDI Files of format 1: a track with the session's tempi and
// metres, then one track a drum, on channel 10, velocities 1 to 127. Keys are those of General MIDI
// (usualKey), or the ones the notes came with. Files appear only when they are complete. Throw
// Error; any thread.
#pragma once

#include "core/session/session.h"

#include <filesystem>
#include <string>
#include <vector>

namespace ember {

// A word at a place of the song: where a part of it begins.
struct MidiMark {
    double time = 0.0;  // seconds
    std::string text;
};

// At 960 pulses a quarter note. Song time zero is pulse zero, so that the file lies beside the
// recordings, and bars begin where the session's do (fromZero).
void writeStrokesMidi(const Session& session, const std::vector<Stroke>& strokes,
                      const std::filesystem::path& file, const std::vector<MidiMark>& marks = {});

// At the pattern's own pulses where a file can have so many (32 767), so that every note is at its
// tick; bar 1 is pulse zero.
void writePatternMidi(const Session& session, const Pattern& pattern,
                      const std::filesystem::path& file);

}  // namespace ember
