// The strokes of a kit as a Standard MIDI File.
#pragma once

#include "core/session/session.h"

#include <filesystem>
#include <vector>

namespace ember {

// The General MIDI percussion key of a drum (kick 36, snare 38, closed hi-hat 42, toms from the
// highest 48 down, cymbal 49, percussion 56).
int midiKeyOf(const std::string& drum);

// Format 1 at 960 pulses a quarter note: a track with the session's tempi and metres, then one
// track a drum, on channel 10, velocities 1 to 127. Song time zero is pulse zero, so that the file
// lies beside the recordings, and bars begin where the session's do (fromZero). The file appears
// only when it is complete. Throws Error. Any thread.
void writeStrokesMidi(const Session& session, const std::vector<Stroke>& strokes,
                      const std::filesystem::path& file);

}  // namespace ember
