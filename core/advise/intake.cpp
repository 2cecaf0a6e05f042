#include "core/advise/intake.h"

#include "core/base/error.h"
#include "core/base/text.h"
#include "core/engine/render.h"
#include "core/measure/kit/tempo.h"
#include "core/measure/who/file_name.h"
#include "core/measure/who/who.h"
#include "core/session/kit.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

namespace ember {
namespace fs = std::filesystem;
namespace {

// "tom 2" before "tom 10".
bool naturalLess(const std::string& a, const std::string& b) {
    std::size_t i = 0, j = 0;
    const auto digit = [](char c) { return c >= '0' && c <= '9'; };
    while (i < a.size() && j < b.size()) {
        if (digit(a[i]) && digit(b[j])) {
            std::size_t k = i, l = j;
            while (k < a.size() && digit(a[k])) ++k;
            while (l < b.size() && digit(b[l])) ++l;
            std::string x = a.substr(i, k - i), y = b.substr(j, l - j);
            x.erase(0, std::min(x.find_first_not_of('0'), x.size()));
            y.erase(0, std::min(y.find_first_not_of('0'), y.size()));
            if (x.size() != y.size()) return x.size() < y.size();
            if (x != y) return x < y;
            i = k;
            j = l;
        } else if (a[i] != b[j]) {
            return a[i] < b[j];
        } else {
            ++i;
            ++j;
        }
    }
    return a.size() - i < b.size() - j;
}

struct LoadedFile {
    fs::path path;
    AudioFileInfo info;
    std::shared_ptr<const Clip> clip;
    std::string hash;
    NameReading byName;
    bool used = false;
};

std::string describe(const AudioFileInfo& info) {
    const double kilohertz = info.sampleRate / 1000.0;
    std::string rate = std::to_string(kilohertz);
    rate.erase(rate.find_last_not_of('0') + 1);
    if (rate.back() == '.') rate.pop_back();
    const std::string channels =
        info.channels == 1
            ? "mono"
            : (info.channels == 2 ? "stereo" : std::to_string(info.channels) + " channels");
    return info.format + ", " + rate + " kHz, " + channels;
}

std::vector<std::string> remarksOn(const ClipFacts& facts) {
    std::vector<std::string> out;
    const double peak = dbFromGain(static_cast<double>(facts.peak));
    if (facts.missingFrom >= 0.0) {
        char text[96];
        std::snprintf(text, sizeof text,
                      "Damaged: from %.1f s on audio is missing; export it again.",
                      facts.missingFrom);
        out.emplace_back(text);
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

// Two rows never go by one name.
void numberNames(std::vector<IntakeEntry>& entries) {
    std::map<std::string, int> seen;
    for (IntakeEntry& e : entries) {
        const int n = ++seen[e.name];
        if (n > 1) e.name += " " + std::to_string(n);
    }
}

Source sourceOf(const LoadedFile& file, int channel, Frames origin) {
    const double offset =
        file.info.timeReference > 0
            ? static_cast<double>(file.info.timeReference - origin) / file.info.sampleRate
            : 0.0;
    return {file.path.string(), file.hash, channel, offset};
}

// Entries of one file: one for mono and stereo, one a channel beyond.
void addEntries(const LoadedFile& file, Frames origin, std::vector<IntakeEntry>& out) {
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

// The file that is this one's other side, and whether this one is the left.
std::pair<LoadedFile*, bool> otherSide(std::vector<LoadedFile>& files, const LoadedFile& file) {
    for (LoadedFile& other : files) {
        if (&other == &file || other.used || other.info.channels != 1 ||
            other.path.parent_path() != file.path.parent_path())
            continue;
        if (const auto side = pairOf(file.path.stem().string(), other.path.stem().string()))
            return {&other, *side == 0};
    }
    return {nullptr, true};
}

// Names, sound and the whole set together.
void tellWho(std::vector<IntakeEntry>& entries, AudioStore& store, int rate,
             const Progress& progress) {
    report(progress, 1.0, "Telling the microphones apart");
    std::vector<std::shared_ptr<const Clip>> held;
    std::vector<Candidate> candidates;
    for (const IntakeEntry& e : entries) {
        Candidate c;
        c.named = e.role;
        c.namedSure = e.who.sure;
        c.kind = e.kind;
        for (const Source& s : e.sources) {
            held.push_back(store.open(s.file, rate));
            c.channels.push_back(held.back()->channel(s.channel));
            c.offset = static_cast<Frames>(std::llround(s.offset * rate));
        }
        candidates.push_back(std::move(c));
    }
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

int mostCommonRate(const std::vector<LoadedFile>& files) {
    std::map<int, int> votes;
    for (const LoadedFile& f : files) ++votes[f.info.sampleRate];
    const auto best =
        std::max_element(votes.begin(), votes.end(),
                         [](const auto& a, const auto& b) { return a.second < b.second; });
    // Mixing happens at a rate of the trade; anything else is converted.
    for (const int rate : {44100, 48000, 88200, 96000}) {
        if (best->first == rate) return rate;
    }
    return best->first > 96000 ? 96000 : 48000;
}

struct Group {
    const char* id;
    const char* name;
};
constexpr std::array<Group, 6> kGroups{{{"kick-bus", "Kick"},
                                        {"snare-bus", "Snare"},
                                        {"tom-bus", "Toms"},
                                        {"cymbal-bus", "Cymbals"},
                                        {"room-bus", "Rooms"},
                                        {"percussion-bus", "Percussion"}}};

Row makeRow(const Session& session, const IntakeEntry& entry, std::string parent) {
    Row row;
    row.id = makeRowId(session, entry.name);
    row.name = entry.name;
    row.kind = entry.kind;
    row.role = entry.role;
    row.who = entry.who;
    row.sources = entry.sources;
    row.chain = makeChain(entry.kind);
    row.parent = std::move(parent);
    return row;
}

Row makeBus(const Session& session, std::string_view id, std::string name, RowKind kind,
            std::string parent) {
    Row row;
    row.id = findRow(session, id) == nullptr ? std::string(id) : makeRowId(session, id);
    row.name = std::move(name);
    row.kind = kind;
    row.chain = makeChain(kind);
    row.parent = std::move(parent);
    return row;
}

// Lowers the drum bus until the plain sum peaks at -6 dBFS.
void keepHeadroom(Session& session, const std::string& bus, AudioStore& store,
                  const Progress& progress) {
    const AudioBuffer mix = renderMix(session, store, {}, nullptr, progress);
    float peak = 0.0F;
    for (const auto& channel : mix.channels) {
        for (const float x : channel) peak = std::max(peak, std::abs(x));
    }
    const double over = dbFromGain(static_cast<double>(peak)) + 6.0;
    if (over <= 0.0) return;
    Stage& seat = requireStage(requireRow(session, bus), "seat");
    const int level = parameterIndex(processorType("seat").table, "level");
    seat.values[static_cast<std::size_t>(level)] -= std::ceil(over * 2.0) / 2.0;
}

}  // namespace

std::vector<fs::path> findAudio(const std::vector<fs::path>& paths) {
    std::vector<fs::path> files;
    for (const fs::path& path : paths) {
        std::error_code code;
        if (!fs::is_directory(path, code)) {
            files.push_back(path);
            continue;
        }
        std::vector<fs::path> here;
        for (const auto& item : fs::directory_iterator(path, code)) {
            if (item.is_regular_file(code) && looksLikeAudio(item.path()))
                here.push_back(item.path());
        }
        if (code)
            throw Error("The folder “" + path.string() +
                        "” cannot be read: choose one you may open.");
        std::sort(here.begin(), here.end(), [](const fs::path& a, const fs::path& b) {
            return naturalLess(a.filename().string(), b.filename().string());
        });
        files.insert(files.end(), here.begin(), here.end());
    }
    std::set<fs::path> seen;
    std::erase_if(files, [&](const fs::path& f) {
        std::error_code code;
        const fs::path canonical = fs::weakly_canonical(f, code);
        return !seen.insert(code ? f : canonical).second;
    });
    return files;
}

Intake takeIn(const std::vector<fs::path>& paths, AudioStore& store, std::optional<double> tempo,
              const Progress& progress) {
    if (tempo && !(*tempo >= 20.0 && *tempo <= 400.0))
        throw Error("The tempo takes 20 to 400 beats a minute.");
    Intake intake;
    std::vector<LoadedFile> files;
    const std::vector<fs::path> found = findAudio(paths);
    if (!paths.empty())
        intake.name = (fs::is_directory(paths[0]) ? paths[0] : fs::absolute(paths[0]).parent_path())
                          .lexically_normal()
                          .filename()
                          .string();
    if (intake.name.empty() && !paths.empty())
        intake.name = fs::absolute(paths[0]).lexically_normal().parent_path().filename().string();
    for (const fs::path& path : found) {
        try {
            LoadedFile file{fs::absolute(path).lexically_normal(),
                            AudioReader(path).info(),
                            nullptr,
                            {},
                            readFileName(path.stem().string()),
                            false};
            files.push_back(std::move(file));
        } catch (const Error& e) {
            intake.refused.emplace_back(e.what());
        }
    }
    if (!files.empty()) intake.sampleRate = mostCommonRate(files);
    for (std::size_t i = 0; i < files.size(); ++i) {
        LoadedFile& file = files[i];
        const double share = 1.0 / static_cast<double>(files.size());
        const std::string what = "Reading " + file.path.filename().string();
        report(progress, static_cast<double>(i) * share, what);
        try {
            file.clip =
                store.open(file.path, intake.sampleRate, [&](double part, const std::string&) {
                    return !progress || progress((static_cast<double>(i) + part) * share, what);
                });
            file.hash = store.contentHash(file.path);
        } catch (const Cancelled&) {
            throw;
        } catch (const Error& e) {
            intake.refused.emplace_back(e.what());
        }
    }
    std::erase_if(files, [](const LoadedFile& f) { return f.clip == nullptr; });
    if (files.empty()) {
        if (!intake.refused.empty() && intake.refused.size() == 1) throw Error(intake.refused[0]);
        const std::string where =
            paths.size() == 1 ? "“" + paths[0].string() + "”" : std::string("what was given");
        throw Error("There is no usable audio in " + where +
                    ": choose WAV, AIFF, FLAC, Ogg or CAF files, or a folder that holds them." +
                    (intake.refused.empty() ? "" : " First: " + intake.refused[0]));
    }

    // Recorders stamp files with the time of day; what counts is how far they lie apart.
    Frames origin = 0;
    for (const LoadedFile& f : files) {
        if (f.info.timeReference > 0)
            origin = origin == 0 ? f.info.timeReference : std::min(origin, f.info.timeReference);
    }
    std::map<std::string, std::string> firstWith;
    std::vector<std::shared_ptr<const Clip>> drums;
    for (LoadedFile& file : files) {
        if (file.used) continue;
        file.used = true;
        const std::size_t before = intake.entries.size();
        const auto [other, isLeft] =
            file.info.channels == 1 ? otherSide(files, file) : std::pair<LoadedFile*, bool>{};
        if (other != nullptr) {
            other->used = true;
            LoadedFile& left = isLeft ? file : *other;
            LoadedFile& right = isLeft ? *other : file;
            IntakeEntry e = entryOf(left);
            e.peakDb =
                std::max(e.peakDb, dbFromGain(static_cast<double>(right.clip->facts().peak)));
            for (const std::string& remark : remarksOn(right.clip->facts())) {
                if (std::find(e.remarks.begin(), e.remarks.end(), remark) == e.remarks.end())
                    e.remarks.push_back("Right: " + remark);
            }
            if (correlationOf(*left.clip, *right.clip) < -0.3)
                e.remarks.emplace_back("Left and right are of opposite polarity.");
            e.sources = {sourceOf(left, 0, origin), sourceOf(right, 0, origin)};
            intake.entries.push_back(std::move(e));
        } else {
            addEntries(file, origin, intake.entries);
        }
        const auto [twin, fresh] = firstWith.emplace(file.hash, file.path.filename().string());
        if (!fresh)
            intake.entries[before].remarks.push_back("Holds the same audio as “" + twin->second +
                                                     "”.");
        if (intake.entries[before].kind == RowKind::element) drums.push_back(file.clip);
    }
    tellWho(intake.entries, store, intake.sampleRate, progress);
    numberNames(intake.entries);
    if (tempo) {
        intake.tempo = *tempo;
        intake.tempoConfidence = 1.0;
        intake.firstBeat = measureTempo(drums).beat;
    } else {
        report(progress, 1.0, "Finding the tempo");
        const Tempo measured = measureTempo(drums);
        intake.tempoConfidence = measured.confidence;
        intake.tempo = measured.bpm;
        intake.firstBeat = measured.beat;
    }
    return intake;
}

Session sessionFrom(const Intake& intake, AudioStore& store, const Progress& progress) {
    Session session;
    if (!intake.name.empty()) session.name = intake.name;
    session.sampleRate = intake.sampleRate;
    session.tempo = intake.tempo;
    session.firstBar = intake.firstBeat;
    const std::string drumBus = "drum-bus";
    bool anyDrum = false;
    for (const Group& group : kGroups) {
        std::vector<const IntakeEntry*> members;
        for (const IntakeEntry& e : intake.entries) {
            if (e.kind == RowKind::element && busOf(e.role) == group.id) members.push_back(&e);
        }
        if (members.empty()) continue;
        anyDrum = true;
        std::stable_sort(members.begin(), members.end(),
                         [&](const IntakeEntry* a, const IntakeEntry* b) {
                             return kitOrder(a->role) < kitOrder(b->role);
                         });
        // A bus with one member would only repeat it.
        const bool bus = members.size() > 1;
        for (const IntakeEntry* e : members)
            session.rows.push_back(makeRow(session, *e, bus ? group.id : drumBus));
        if (!bus) continue;
        Row row = makeBus(session, group.id, group.name, RowKind::bus, drumBus);
        if (row.id != group.id) {
            for (Row& r : session.rows) {
                if (r.parent == group.id) r.parent = row.id;
            }
        }
        session.rows.push_back(std::move(row));
    }
    if (intake.entries.empty())
        throw Error("There is nothing to mix yet: add at least one recording.");
    if (anyDrum) {
        Row bus = makeBus(session, drumBus, "Drum bus", RowKind::bus, "main");
        for (Row& r : session.rows) {
            if (r.parent == drumBus) r.parent = bus.id;
        }
        session.rows.push_back(std::move(bus));
    }
    const std::string drumId = anyDrum ? session.rows.back().id : std::string();
    for (const RowKind kind : {RowKind::guest, RowKind::reference}) {
        for (const IntakeEntry& e : intake.entries) {
            if (e.kind == kind)
                session.rows.push_back(makeRow(session, e, kind == RowKind::guest ? "main" : ""));
        }
    }
    Row main = makeBus(session, "main", "Main", RowKind::main, "");
    for (Row& r : session.rows) {
        if (r.parent == "main") r.parent = main.id;
    }
    session.rows.push_back(std::move(main));
    session = withDrums(std::move(session));
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    if (anyDrum) keepHeadroom(session, drumId, store, progress);
    return session;
}

std::vector<fs::path> changedRecordings(const Session& session, AudioStore& store) {
    std::vector<fs::path> out;
    for (const Row& row : session.rows) {
        for (const Source& source : row.sources) {
            try {
                const bool changed =
                    !source.hash.empty() && store.contentHash(source.file) != source.hash;
                if (changed && std::find(out.begin(), out.end(), source.file) == out.end())
                    out.emplace_back(source.file);
            } catch (const Error&) {
                continue;
            }
        }
    }
    return out;
}

Session withRecordingAsItIs(Session session, AudioStore& store, const fs::path& file) {
    const std::string hash = store.contentHash(file);
    for (Row& row : session.rows) {
        for (Source& source : row.sources) {
            if (fs::path(source.file) == file) source.hash = hash;
        }
    }
    return session;
}

Session withRecordingFound(Session session, AudioStore& store, const fs::path& file,
                           const fs::path& found) {
    const std::string hash = store.contentHash(found);
    for (Row& row : session.rows) {
        for (Source& source : row.sources) {
            if (fs::path(source.file) != file) continue;
            if (source.hash != hash)
                throw Error("“" + found.filename().string() + "” is not the recording of “" +
                            row.name + "” either; choose the file that was taken in.");
            source.file = found.string();
        }
    }
    return session;
}

}  // namespace ember
