// From files to a session: recognise, pair, group, route, and say what is unusual.
#pragma once

#include "core/audio/file.h"
#include "core/audio/store.h"
#include "core/measure/who/file_name.h"
#include "core/session/session.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace ember {

// One row to be. A person may correct name, role and kind before sessionFrom().
struct IntakeEntry {
    std::string name;      // for people: "Overhead"
    std::string fileName;  // what the file calls it: "03_OHL-dp"
    Role role = Role::unknown;
    Identity who;  // of the role
    RowKind kind = RowKind::element;
    std::vector<Source> sources;  // absolute paths; one, or left and right
    std::string format;           // "WAV 24-bit, 48 kHz, mono"
    double seconds = 0.0;
    double peakDb = -150.0;            // dBFS
    std::vector<std::string> remarks;  // what is unusual in this material, in sentences
};

struct Intake {
    std::string name;  // of the folder
    std::vector<IntakeEntry> entries;
    std::vector<std::string> refused;  // one sentence for every file that cannot be used
    int sampleRate = 48000;
    double tempo = 120.0, firstBeat = 0.0;
    double tempoConfidence = 0.0;  // 1 when it was given
};

// The audio files among `paths`, folders searched one level deep, in natural order of names.
std::vector<std::filesystem::path> findAudio(const std::vector<std::filesystem::path>& paths);

// Decodes and looks at every file. A bad file becomes a sentence in `refused`, the good ones
// load. Throws Error when nothing is usable, Cancelled when progress says so.
Intake takeIn(const std::vector<std::filesystem::path>& paths, AudioStore& store,
              std::optional<double> tempo = {}, const Progress& progress = {});

// Elements under their buses, the buses under the drum bus, all into main. Guests go to main
// directly, references nowhere. The drum bus starts low enough that the plain sum keeps 6 dB of
// headroom. Throws Error when there is nothing to build from.
Session sessionFrom(const Intake& intake, AudioStore& store, const Progress& progress = {});

// Recordings whose content is not what it was when they were taken in; absolute paths. Those that
// cannot be read are left out: whoever plays them says so. Reads what it has not seen yet.
std::vector<std::filesystem::path> changedRecordings(const Session& session, AudioStore& store);
// The session with a recording taken as it is now, or with another file in its place. Throws Error
// when the other file is not the one that was taken in.
Session withRecordingAsItIs(Session session, AudioStore& store, const std::filesystem::path& file);
Session withRecordingFound(Session session, AudioStore& store, const std::filesystem::path& file,
                           const std::filesystem::path& found);

}  // namespace ember
