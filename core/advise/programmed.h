// A programmed kit from a folder of one-shots, and notes for it from a MIDI file.
#pragma once

#include "core/audio/store.h"
#include "core/session/session.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace ember {

// One file, and what it was taken for.
struct KitSound {
    std::string file;  // absolute path
    std::string name;  // of its layer
    Role role = Role::unknown;
    Identity who;
    std::string row, layer;  // ids, where it plays
    int articulation = 0;
};

struct ProgrammedKit {
    Session session;
    std::vector<KitSound> sounds;
    std::vector<std::string> refused;  // a sentence for each file that cannot be used
    std::vector<std::string> remarks;  // what one should know, in sentences
};

// Every file gets its drum by name, and where that says nothing by sound, which is never called
// sure. Near-twins ("snare 01", "snare 02") are played in turn; of other sounds for one drum the
// first is on and the rest wait as layers that are off. An open hat, a bell or a cross-stick is the
// drum's other way of being struck. One row a drum, under the buses of their kinds. With `midi` the
// song's time and the pattern are the file's; without, the pattern is empty. Throws Error where
// nothing is usable, Cancelled.
ProgrammedKit programmedKit(const std::vector<std::filesystem::path>& paths, AudioStore& store,
                            const std::optional<std::filesystem::path>& midi = {},
                            const Progress& progress = {});

// The session with the notes of a file in place of its pattern, or beside it; its time stays. What
// should be said about them is added to `remarks`: drums without a sound, playing like a machine.
Session withMidiNotes(Session session, const std::filesystem::path& file, bool beside,
                      std::vector<std::string>& remarks);

}  // namespace ember
