// The notes of a Standard MIDI file as a pattern, and a pattern as a file's notes.
#pragma once

#include "core/session/session.h"

#include <filesystem>
#include <string>

namespace ember {

// Every note of the file, each with its key, what that strikes in `session` (mappingOf), its
// velocity and length; at the file's own resolution, so that every note is at its tick. Channel 10
// alone where anything is on it, else all channels. Throws Error as readMidi() does, and for a file
// without notes.
Pattern midiPattern(const std::string& bytes, const std::string& name, const Session& session);
Pattern loadMidiPattern(const std::filesystem::path& file, const Session& session);

}  // namespace ember
