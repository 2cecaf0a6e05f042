#include "core/advise/programmed.h"

#include "core/advise/intake.h"
#include "core/base/error.h"
#include "core/base/text.h"
#include "core/measure/who/one_shot.h"
#include "core/session/kit.h"
#include "core/session/layers.h"
#include "core/session/midi_notes.h"
#include "core/session/midi_time.h"

#include <algorithm>
#include <array>
#include <map>
#include <utility>

namespace ember {
namespace {

bool holdsWord(const std::string& stem, std::string_view word) {
    return ("-" + hyphenated(stem) + "-").find("-" + std::string(word)) != std::string::npos;
}

// Another way of striking, by what the name says.
int articulationOf(Role role, const std::string& stem) {
    const auto any = [&](std::initializer_list<const char*> words) {
        return std::any_of(words.begin(), words.end(),
                           [&](const char* word) { return holdsWord(stem, word); });
    };
    if (role == Role::hat) return any({"open", "half", "loose", "oh-hat"}) ? 1 : 0;
    if (role == Role::snare) return any({"rim", "cross", "side", "stick", "xstick"}) ? 1 : 0;
    if (role == Role::ride) return any({"bell", "cup"}) ? 1 : 0;
    return 0;
}

// What near-twins have in common: the name without its count.
std::string twinKey(Role role, const std::string& stem) {
    std::string key = hyphenated(stem);
    const auto cut = key.find_last_not_of("0123456789");
    const std::size_t digits = key.size() - (cut == std::string::npos ? 0 : cut + 1);
    if (digits == 0 || cut == std::string::npos) return key;
    std::string before = key.substr(0, cut + 1);
    // "tom 1" and "tom 2" are two toms; "tom 1 02" and "hi tom 02" are counted.
    const bool numbered = role == Role::tom || role == Role::rackTom || role == Role::floorTom ||
                          role == Role::crash || role == Role::ride || role == Role::percussion;
    if (numbered && digits < 2 && before.find_first_of("0123456789") == std::string::npos)
        return key;
    return before;
}

struct File {
    const LoadedFile* loaded = nullptr;
    std::string stem;
    Role role = Role::unknown;
    Identity who;
    int articulation = 0;
};

File fileOf(const LoadedFile& loaded) {
    File out;
    out.loaded = &loaded;
    out.stem = loaded.path.stem().string();
    const Role named = drumRole(loaded.byName.role);
    if (named != Role::unknown && loaded.byName.sure >= kSureEnough) {
        out.role = named;
        out.who = {loaded.byName.sure, {"name"}, {}};
    } else {
        const Likely heard =
            oneShotRole(oneShotTraits(loaded.clip->channel(0), loaded.clip->sampleRate()));
        out.role = heard.role;
        out.who = {heard.sure, {"sound"}, {}};
        if (named == heard.role && named != Role::unknown) {
            out.who.sure = std::max(loaded.byName.sure, kSureEnough);
            out.who.grounds = {"name", "sound"};
        }
    }
    out.articulation = articulationOf(out.role, out.stem);
    return out;
}

// Whether sounds of a role that are no twins are several drums, and not candidates for one.
bool severalDrums(Role role) {
    return role != Role::kick && role != Role::snare && role != Role::hat;
}

// What a sound gives its hit, by what its name says; a body where it says nothing.
LayerPart partOf(const std::string& stem) {
    const auto any = [&](std::initializer_list<const char*> words) {
        return std::any_of(words.begin(), words.end(),
                           [&](const char* word) { return holdsWord(stem, word); });
    };
    if (any({"click", "attack", "beater", "stick", "snap", "transient"})) return LayerPart::attack;
    if (any({"room", "tail", "verb", "ambi", "hall"})) return LayerPart::tail;
    if (any({"noise", "texture", "foley", "crackle"})) return LayerPart::texture;
    return LayerPart::body;
}

Layer layerOf(const std::vector<const File*>& twins) {
    std::vector<Source> sounds;
    sounds.reserve(twins.size());
    for (const File* f : twins) sounds.push_back({f->loaded->path.string(), f->loaded->hash});
    const std::string name = soundName(twins.front()->loaded->path.string());
    Layer layer = makeLayer({}, name, std::move(sounds));
    layer.values[Layer::part] = static_cast<double>(partOf(twins.front()->stem));
    // What is programmed is meant, ghost notes too.
    layer.values[Layer::spareGhosts] = layer.values[Layer::spareFlams] = 0.0;
    return layer;
}

// The entries of one role: rows of layers.
void addRole(Role role, const std::vector<const File*>& files, Intake& intake) {
    std::map<std::string, std::vector<const File*>> twins;
    std::vector<std::string> order;
    for (const File* f : files) {
        const std::string key = twinKey(role, f->stem) + (f->articulation != 0 ? " other" : "");
        if (!twins.contains(key)) order.push_back(key);
        twins[key].push_back(f);
    }
    std::array<bool, 2> has{};  // a layer for the usual way, for the other
    for (const std::string& key : order) {
        const std::vector<const File*>& group = twins[key];
        const int way = group.front()->articulation == 0 ? 0 : 1;
        const bool newRow = intake.entries.empty() || intake.entries.back().role != role ||
                            (severalDrums(role) && way == 0);
        if (newRow) {
            IntakeEntry e;
            const std::string& read = group.front()->loaded->byName.readable;
            e.name = severalDrums(role) && !read.empty() ? read : roleTitle(role);
            e.fileName = group.front()->stem;
            e.role = role;
            e.who = group.front()->who;
            intake.entries.push_back(std::move(e));
            has = {};
        }
        IntakeEntry& e = intake.entries.back();
        Layer layer = layerOf(group);
        layer.id = makeLayerId(e.layers, layer.name);
        const auto place = static_cast<std::size_t>(way);
        if (std::exchange(has[place], true)) layer.values[Layer::on] = 0.0;
        e.layers.push_back(std::move(layer));
    }
    // Where both ways are there, each plays its own notes, and a closed hat ends the open one.
    for (IntakeEntry& e : intake.entries) {
        if (e.role != role || e.layers.size() < 2) continue;
        const auto isOther = [&](const Layer& layer) {
            return std::any_of(files.begin(), files.end(), [&](const File* f) {
                return f->articulation != 0 &&
                       f->loaded->path.string() == layer.sounds.front().file;
            });
        };
        if (std::none_of(e.layers.begin(), e.layers.end(), isOther)) continue;
        for (Layer& layer : e.layers) {
            layer.values[Layer::way] =
                static_cast<double>(isOther(layer) ? StruckWay::other : StruckWay::usual);
            if (role == Role::hat) layer.values[Layer::choke] = 1.0;
        }
    }
}

// Two rows of one name are told apart by a number.
void nameApart(Intake& intake) {
    std::map<std::string, int> count, next;
    for (const IntakeEntry& e : intake.entries) ++count[e.name];
    for (IntakeEntry& e : intake.entries) {
        if (count[e.name] > 1) e.name += " " + std::to_string(++next[e.name]);
    }
}

}  // namespace

ProgrammedKit programmedKit(const std::vector<std::filesystem::path>& paths, AudioStore& store,
                            const std::optional<std::filesystem::path>& midi,
                            const Progress& progress) {
    ProgrammedKit out;
    LoadedFiles loaded = loadFiles(paths, store, progress);
    out.refused = std::move(loaded.refused);
    std::vector<File> files;
    std::vector<Role> roles;
    for (const LoadedFile& file : loaded.files) {
        files.push_back(fileOf(file));
        const Role role = files.back().role;
        if (role == Role::unknown)
            out.refused.push_back("“" + file.path.filename().string() +
                                  "” holds no stroke that could be heard; leave it out.");
        else if (std::find(roles.begin(), roles.end(), role) == roles.end())
            roles.push_back(role);
    }
    Intake intake;
    intake.sampleRate = loaded.sampleRate;
    intake.name = paths.empty() ? "Kit" : paths.front().lexically_normal().filename().string();
    if (intake.name.empty()) intake.name = paths.front().parent_path().filename().string();
    std::stable_sort(roles.begin(), roles.end(),
                     [](Role a, Role b) { return kitOrder(a) < kitOrder(b); });
    for (const Role role : roles) {
        std::vector<const File*> of;
        for (const File& f : files) {
            if (f.role == role) of.push_back(&f);
        }
        // The usual way leads, and what gives body.
        std::stable_sort(of.begin(), of.end(), [](const File* a, const File* b) {
            const auto place = [](const File* f) {
                return std::pair(f->articulation, partOf(f->stem));
            };
            return place(a) < place(b);
        });
        addRole(role, of, intake);
    }
    nameApart(intake);
    out.session = sessionFrom(intake, store, progress);
    if (midi) {
        out.session.time = loadMidiTime(*midi);
        out.session = withMidiNotes(std::move(out.session), *midi, false, out.remarks);
        out.session = withHeadroom(std::move(out.session), store, progress);
    }
    for (const File& f : files) {
        KitSound sound{
            f.loaded->path.string(), soundName(f.loaded->path.string()), f.role, f.who, {}, {},
            f.articulation};
        for (const Row& row : out.session.rows) {
            for (const Layer& layer : row.layers) {
                const bool plays =
                    std::any_of(layer.sounds.begin(), layer.sounds.end(),
                                [&](const Source& s) { return s.file == sound.file; });
                if (plays) {
                    sound.row = row.id;
                    sound.layer = layer.id;
                }
            }
        }
        out.sounds.push_back(std::move(sound));
    }
    return out;
}

Session withMidiNotes(Session session, const std::filesystem::path& file, bool beside,
                      std::vector<std::string>& remarks) {
    const Pattern notes = loadMidiPattern(file, session);
    session.pattern = Shared(beside ? together(session.pattern.get(), notes) : notes);
    std::map<std::string, int> silent;
    for (const Note& note : notes.notes) {
        const bool sounds =
            std::any_of(session.rows.begin(), session.rows.end(),
                        [&](const Row& r) { return r.drum == note.drum && !r.layers.empty(); });
        if (!sounds) ++silent[note.drum];
    }
    for (const auto& [drum, count] : silent)
        remarks.push_back(usualDrumName(drum) + " is struck " + std::to_string(count) +
                          (count == 1 ? " time" : " times") + " and has no sound.");
    for (std::string& sentence : noticed(notes, session.time))
        remarks.push_back(std::move(sentence));
    return session;
}

}  // namespace ember
