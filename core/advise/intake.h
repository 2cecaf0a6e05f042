// From files to a session: recognise, pair, group, route, and say what is unusual.
#pragma once

#include "core/advise/intake_files.h"
#include "core/base/units.h"
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
    std::vector<Layer> layers;    // in place of sources
    std::string format;           // "WAV 24-bit, 48 kHz, mono"
    double seconds = 0.0;
    double peakDb = kSilenceDb;        // dBFS
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

// Decodes and looks at every file. A bad file becomes a sentence in `refused`, the good ones
// load. Throws Error when nothing is usable, Cancelled when progress says so.
Intake takeIn(const std::vector<std::filesystem::path>& paths, AudioStore& store,
              std::optional<double> tempo = {}, const Progress& progress = {});

// What recordings would add to a session that is open: looked at as by takeIn(), at the session's
// rate and tempo. Its microphones help to tell who is who, and time stamps count from where its own
// recordings count from; what it plays already is remarked. Sources carry absolute paths. Throws as
// takeIn() does.
Intake takeInto(const Session& session, const std::vector<std::filesystem::path>& paths,
                AudioStore& store, const Progress& progress = {});
// The session with these rows: elements in the bus of those of their group, or in the drum bus,
// guests in the main, references in none. Nothing that was there changes. Throws Error when there
// is nothing to add.
Session withTakenIn(Session session, const Intake& intake);

// Elements under their buses, the buses under the drum bus, all into main. Guests go to main
// directly, references nowhere. The drum bus starts low enough that the plain sum keeps 6 dB of
// headroom. Throws Error when there is nothing to build from.
Session sessionFrom(const Intake& intake, AudioStore& store, const Progress& progress = {});
// The session with its drum bus so low that the mix peaks at -6 dBFS at most; never raised.
Session withHeadroom(Session session, AudioStore& store, const Progress& progress = {});

}  // namespace ember
