#include "core/advise/intake.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/text.h"
#include "core/measure/kit/tempo.h"
#include "core/measure/who/who.h"
#include "core/session/printed.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace ember {
namespace fs = std::filesystem;
namespace {

std::string describe(const AudioFileInfo& info) {
    const std::string channels =
        info.channels == 1
            ? "mono"
            : (info.channels == 2 ? "stereo" : std::to_string(info.channels) + " channels");
    return info.format + ", " + kilohertzText(info.sampleRate) + " kHz, " + channels;
}

std::vector<std::string> remarksOn(const ClipFacts& facts) {
    std::vector<std::string> out;
    const double peak = dbFromGain(static_cast<double>(facts.peak));
    if (facts.missingFrom >= 0.0) {
        out.push_back("Damaged: from " + numberText(facts.missingFrom, 1) +
                      " s on audio is missing; export it again.");
    }
    if (facts.nonFinite > 0)
        out.push_back(std::to_string(facts.nonFinite) +
                      " samples are no numbers; silence stands in for them.");
    if (peak < -70.0) {
        out.emplace_back("Silent: nothing above −70 dBFS.");
        return out;
    }
    if (facts.clippedRuns > 0) {
        out.push_back("Clipped in " + std::to_string(facts.clippedRuns) +
                      (facts.clippedRuns == 1 ? " place." : " places."));
    } else if (peak > -0.5) {
        out.emplace_back("Hot: peaks within 0.5 dB of full scale.");
    }
    if (peak < -30.0) out.emplace_back("Low: the loudest peak is below −30 dBFS.");
    if (static_cast<double>(facts.dc) > 0.01)
        out.emplace_back("Has a constant offset (DC) above 1 %.");
    if (static_cast<double>(facts.correlation) < -0.3)
        out.emplace_back("The two channels are of opposite polarity.");
    return out;
}

double correlationOf(const Clip& a, const Clip& b) {
    const auto x = a.channel(0), y = b.channel(0);
    double xy = 0.0, xx = 0.0, yy = 0.0;
    for (std::size_t i = 0, n = std::min(x.size(), y.size()); i < n; ++i) {
        const auto u = static_cast<double>(x[i]), v = static_cast<double>(y[i]);
        xy += u * v;
        xx += u * u;
        yy += v * v;
    }
    return xx > 0.0 && yy > 0.0 ? xy / std::sqrt(xx * yy) : 1.0;
}

IntakeEntry entryOf(const LoadedFile& file) {
    IntakeEntry e;
    e.format = describe(file.info);
    e.seconds = static_cast<double>(file.clip->frames()) / file.clip->sampleRate();
    e.peakDb = dbFromGain(static_cast<double>(file.clip->facts().peak));
    e.remarks = remarksOn(file.clip->facts());
    e.fileName = asUtf8(file.path.stem().string());
    e.name = file.byName.readable.empty() ? e.fileName : file.byName.readable;
    e.role = file.byName.role;
    e.kind = file.byName.kind;
    e.who.sure = file.byName.sure;
    if (e.who.sure > 0.0) e.who.grounds = {"name"};
    return e;
}

// Two rows never go by one name, and none by one that is taken.
void numberNames(std::vector<IntakeEntry>& entries, std::set<std::string> taken = {}) {
    for (IntakeEntry& e : entries) {
        const std::string name = e.name;
        for (int n = 2; !taken.insert(e.name).second; ++n) e.name = name + " " + std::to_string(n);
    }
}

// The time of day at which a file begins, seconds, where its recorder stamped it.
std::optional<double> stampOf(const AudioFileInfo& info) {
    if (info.timeReference <= 0) return std::nullopt;
    return static_cast<double>(info.timeReference) / info.sampleRate;
}

// Recorders stamp files with the time of day; what counts is how far they lie apart. `origin`: the
// time of day at which the song begins.
Source sourceOf(const LoadedFile& file, int channel, std::optional<double> origin) {
    const auto stamp = stampOf(file.info);
    const double offset = stamp && origin ? *stamp - *origin : 0.0;
    return {file.path.string(), file.hash, channel, offset};
}

// Entries of one file: one for mono and stereo, one a channel beyond.
void addEntries(const LoadedFile& file, std::optional<double> origin,
                std::vector<IntakeEntry>& out) {
    IntakeEntry e = entryOf(file);
    if (file.info.channels <= 2) {
        for (int c = 0; c < file.info.channels; ++c) e.sources.push_back(sourceOf(file, c, origin));
        out.push_back(std::move(e));
        return;
    }
    const std::string name = e.fileName;
    e.remarks.push_back("The file has " + std::to_string(file.info.channels) +
                        " channels; each became an element of its own.");
    for (int c = 0; c < file.info.channels; ++c) {
        e.name = name + " " + std::to_string(c + 1);
        e.sources = {sourceOf(file, c, origin)};
        out.push_back(e);
        e.remarks.clear();
    }
}

// The place of the file that is this one's other side among those still to be taken, and whether
// this one is the left; none for files that stand alone.
std::optional<std::pair<std::size_t, bool>> otherSide(const std::vector<LoadedFile>& files,
                                                      const std::vector<bool>& taken,
                                                      std::size_t which) {
    const LoadedFile& file = files[which];
    if (file.info.channels != 1) return std::nullopt;
    for (std::size_t i = 0; i < files.size(); ++i) {
        const LoadedFile& other = files[i];
        if (i == which || taken[i] || other.info.channels != 1 ||
            other.path.parent_path() != file.path.parent_path())
            continue;
        if (const auto side = pairOf(file.path.stem().string(), other.path.stem().string()))
            return std::pair{i, *side == 0};
    }
    return std::nullopt;
}

IntakeEntry entryOfPair(const LoadedFile& left, const LoadedFile& right,
                        std::optional<double> origin) {
    IntakeEntry e = entryOf(left);
    e.peakDb = std::max(e.peakDb, dbFromGain(static_cast<double>(right.clip->facts().peak)));
    for (const std::string& remark : remarksOn(right.clip->facts())) {
        if (std::find(e.remarks.begin(), e.remarks.end(), remark) == e.remarks.end())
            e.remarks.push_back("Right: " + remark);
    }
    if (correlationOf(*left.clip, *right.clip) < -0.3)
        e.remarks.emplace_back("Left and right are of opposite polarity.");
    e.sources = {sourceOf(left, 0, origin), sourceOf(right, 0, origin)};
    return e;
}

std::optional<double> firstStamp(const std::vector<LoadedFile>& files) {
    std::optional<double> first;
    for (const LoadedFile& f : files) {
        const auto stamp = stampOf(f.info);
        if (stamp && (!first || *stamp < *first)) first = stamp;
    }
    return first;
}

std::vector<IntakeEntry> entriesOf(const std::vector<LoadedFile>& files,
                                   std::optional<double> origin) {
    std::vector<IntakeEntry> entries;
    std::vector<bool> taken(files.size());
    std::map<std::string, std::string> firstWith;
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (taken[i]) continue;
        taken[i] = true;
        const LoadedFile& file = files[i];
        const std::size_t before = entries.size();
        if (const auto side = otherSide(files, taken, i)) {
            taken[side->first] = true;
            const LoadedFile& other = files[side->first];
            entries.push_back(side->second ? entryOfPair(file, other, origin)
                                           : entryOfPair(other, file, origin));
        } else {
            addEntries(file, origin, entries);
        }
        const auto [twin, fresh] = firstWith.emplace(file.hash, file.path.filename().string());
        if (!fresh)
            entries[before].remarks.push_back("Holds the same audio as “" + twin->second + "”.");
    }
    return entries;
}

// What the folder, or that of the first file, is called.
std::string nameOf(const std::vector<fs::path>& paths) {
    if (paths.empty()) return {};
    const fs::path first = fs::absolute(paths[0]).lexically_normal();
    const std::string own =
        (fs::is_directory(paths[0]) ? first : first.parent_path()).filename().string();
    return own.empty() ? first.parent_path().filename().string() : own;
}

// Names, sound and the whole set together; `standing`: rows whose roles are known, which help to
// tell the others.
void tellWho(std::vector<IntakeEntry>& entries, AudioStore& store, int rate,
             const Progress& progress, const std::vector<const Row*>& standing = {}) {
    report(progress, 1.0, "Telling the microphones apart");
    std::vector<std::shared_ptr<const Clip>> held;
    std::vector<Candidate> candidates;
    const auto add = [&](RowKind kind, Role role, double sure, const std::vector<Source>& sources) {
        Candidate c;
        c.named = role;
        c.namedSure = sure;
        c.kind = kind;
        for (const Source& s : sources) {
            held.push_back(store.open(s.file, rate));
            c.channels.push_back(held.back()->channel(s.channel));
            c.offset = static_cast<Frames>(std::llround(s.offset * rate));
        }
        candidates.push_back(std::move(c));
    };
    for (const IntakeEntry& e : entries) add(e.kind, e.role, e.who.sure, e.sources);
    for (const Row* row : standing) add(row->kind, row->role, row->who.sure, row->sources);
    const std::vector<Who> found = whoIsWho(candidates, rate);
    for (std::size_t i = 0; i < entries.size(); ++i) {
        IntakeEntry& e = entries[i];
        const bool named = e.role != Role::unknown;
        e.role = found[i].role;
        e.kind = found[i].kind;
        e.who = found[i].identity;
        // What only its sound tells has no name yet that a person could read.
        if (!named && e.role != Role::unknown && e.who.sure >= kSureEnough)
            e.name = roleTitle(e.role);
    }
}

// Drums alone: guests need not keep their time.
std::vector<std::shared_ptr<const Clip>> drumsAmong(const std::vector<IntakeEntry>& entries,
                                                    AudioStore& store, int rate) {
    std::vector<std::shared_ptr<const Clip>> drums;
    std::set<std::string> seen;  // a file may hold several rows
    for (const IntakeEntry& e : entries) {
        if (e.kind == RowKind::element && seen.insert(e.sources[0].file).second)
            drums.push_back(store.open(e.sources[0].file, rate));
    }
    return drums;
}

// What a session that is open says about recordings that come to it.
struct Standing {
    std::optional<double> origin;  // the time of day at which its song begins, seconds
    double seconds = 0.0;          // to the end of its last recording
    std::vector<const Row*> rows;  // its microphones whose recordings are there
};

Standing standingIn(const Session& session, AudioStore& store) {
    Standing out;
    for (const Row& row : session.rows) {
        bool there = !row.sources.empty();
        for (const Source& source : row.sources) {
            try {
                const AudioFileInfo info = AudioReader(source.file).info();
                out.seconds =
                    std::max(out.seconds,
                             source.offset + static_cast<double>(info.frames) / info.sampleRate);
                if (const auto stamp = stampOf(info); stamp && !out.origin)
                    out.origin = *stamp - source.offset;
                there = there && store.open(source.file, session.sampleRate) != nullptr;
            } catch (const Error&) {
                there = false;  // one that is away says nothing; the window says that it is away
            }
        }
        if (there && row.kind == RowKind::element && !isMade(row)) out.rows.push_back(&row);
    }
    return out;
}

// A stamp of another day would put a recording where nobody finds it.
void keepWithSong(IntakeEntry& e, double songSeconds) {
    const double offset = e.sources.front().offset;
    if (offset < songSeconds && offset + e.seconds > 0.0) return;
    for (Source& source : e.sources) source.offset = 0.0;
    e.remarks.emplace_back(
        "By its time stamp it lies outside the song; it begins where the song does.");
}

void remarkTwins(IntakeEntry& e, const Session& session) {
    for (const Row& row : session.rows) {
        const bool twin = std::any_of(row.sources.begin(), row.sources.end(), [&](const Source& s) {
            return !s.hash.empty() && s.hash == e.sources.front().hash &&
                   s.channel == e.sources.front().channel;
        });
        if (!twin) continue;
        e.remarks.push_back("Already here, as “" + row.name + "”.");
        return;
    }
}

}  // namespace

Intake takeIn(const std::vector<fs::path>& paths, AudioStore& store, std::optional<double> tempo,
              const Progress& progress) {
    if (tempo && !(*tempo >= 20.0 && *tempo <= 400.0))
        throw Error("The tempo takes 20 to 400 beats a minute.");
    LoadedFiles loaded = loadFiles(paths, store, progress);
    Intake intake;
    intake.name = nameOf(paths);
    intake.sampleRate = loaded.sampleRate;
    intake.refused = std::move(loaded.refused);
    intake.entries = entriesOf(loaded.files, firstStamp(loaded.files));
    const auto drums = drumsAmong(intake.entries, store, intake.sampleRate);
    tellWho(intake.entries, store, intake.sampleRate, progress);
    numberNames(intake.entries);
    if (!tempo) report(progress, 1.0, "Finding the tempo");
    const Tempo measured = measureTempo(drums);
    intake.tempo = tempo.value_or(measured.bpm);
    intake.tempoConfidence = tempo ? 1.0 : measured.confidence;
    intake.firstBeat = measured.beat;
    return intake;
}

Intake takeInto(const Session& session, const std::vector<fs::path>& paths, AudioStore& store,
                const Progress& progress) {
    LoadedFiles loaded = loadFiles(paths, store, progress, session.sampleRate);
    const Standing standing = standingIn(session, store);
    Intake intake;
    intake.name = session.name;
    intake.sampleRate = session.sampleRate;
    intake.tempo = tempoAt(session.time, 0.0);
    intake.tempoConfidence = 1.0;
    intake.refused = std::move(loaded.refused);
    intake.entries =
        entriesOf(loaded.files, standing.origin ? standing.origin : firstStamp(loaded.files));
    std::set<std::string> names;
    for (const Row& row : session.rows) names.insert(row.name);
    for (IntakeEntry& e : intake.entries) {
        keepWithSong(e, standing.seconds);
        remarkTwins(e, session);
    }
    tellWho(intake.entries, store, session.sampleRate, progress, standing.rows);
    numberNames(intake.entries, std::move(names));
    return intake;
}

}  // namespace ember
