#include "core/measure/kit/kit_mics.h"

#include "core/session/bleed.h"
#include "core/session/printed.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace ember {
namespace {

// 0 is best for timing.
int timingRank(Role role) {
    switch (role) {
        case Role::kickIn:
        case Role::snareTop:
            return 0;
        case Role::kickOut:
        case Role::snareBottom:
            return 2;
        default:
            return 1;
    }
}

// From high to low, as drummers set them up.
int tomRank(const std::string& id) {
    return id.starts_with("rack") ? 0 : (id.starts_with("floor") ? 2 : 1);
}

// The recording of one side from its pair's first sample to its last.
std::span<const float> aligned(KitMics& kit, std::span<const float> samples, Frames late,
                               Frames length) {
    if (late == 0 && std::ssize(samples) == length) return samples;
    std::vector<float> whole(static_cast<std::size_t>(length), 0.0F);
    std::copy(samples.begin(), samples.end(), whole.begin() + late);
    kit.padded.push_back(std::move(whole));
    return kit.padded.back();
}

}  // namespace

bool isListenedTo(const Row& row) {
    return row.kind == RowKind::element && !row.sources.empty() && !isMade(row);
}

bool isMicrophone(Role role) {
    return role != Role::sample && role != Role::loop && role != Role::trigger;
}

std::vector<KitDrum> drumsOf(const Session& session) {
    std::vector<KitDrum> drums;
    std::vector<Role> roles;
    bool whole = false;
    const auto drum = [&](const std::string& id) -> KitDrum& {
        for (KitDrum& d : drums) {
            if (d.id == id) return d;
        }
        drums.push_back({id, drumFamily(id), {}, drumName(session, id), {}});
        return drums.back();
    };
    for (const Row& row : session.rows) {
        if (!isListenedTo(row)) continue;
        whole = whole || hearsAll(row.role);
        if (!row.drum.empty()) drum(row.drum).mics.push_back(static_cast<int>(roles.size()));
        roles.push_back(row.role);
    }
    for (KitDrum& d : drums) {
        std::stable_sort(d.mics.begin(), d.mics.end(), [&](int a, int b) {
            return timingRank(roles[static_cast<std::size_t>(a)]) <
                   timingRank(roles[static_cast<std::size_t>(b)]);
        });
    }
    if (whole) {
        for (const char* id : {"kick", "snare", "hihat", "cymbal"}) drum(id);
        if (std::none_of(drums.begin(), drums.end(),
                         [](const KitDrum& d) { return d.family == DrumFamily::tom; }))
            drum("tom");
    }
    std::stable_sort(drums.begin(), drums.end(), [](const KitDrum& a, const KitDrum& b) {
        if (a.family != b.family) return a.family < b.family;
        return a.family == DrumFamily::tom && tomRank(a.id) < tomRank(b.id);
    });
    std::vector<std::string> ids;
    ids.reserve(drums.size());
    for (const KitDrum& d : drums) ids.push_back(d.id);
    for (KitDrum& d : drums) d.kind = drumKind(ids, d.id);
    return drums;
}

std::vector<KitDrum> drumsOf(const std::vector<Role>& roles) {
    Session session;
    for (std::size_t r = 0; r < roles.size(); ++r) {
        Row row;
        row.id = std::to_string(r);
        row.role = roles[r];
        row.sources.resize(1);
        row.name = usualDrumName(toString(row.role));
        session.rows.push_back(std::move(row));
    }
    return drumsOf(withDrums(std::move(session)));
}

std::string drumKindIn(const Session& session, std::string_view drum) {
    std::vector<std::string> ids;
    for (const KitDrum& d : drumsOf(session)) ids.push_back(d.id);
    return drumKind(ids, drum);
}

std::string drumOfRow(const Session& session, std::string_view id) {
    const Row* row = findRow(session, id);
    return row != nullptr && row->kind == RowKind::element ? row->drum : std::string{};
}

std::string drumDriving(const Session& session, std::string_view row, const Stage& stage) {
    const Row* key = stage.key.empty() ? nullptr : findRow(session, stage.key);
    if (key == nullptr) return drumOfRow(session, row);
    if (hasSources(key->kind)) return drumOfRow(session, key->id);
    // A bus is its drum's where all that feeds it stands at one.
    std::set<std::string> drums;
    for (const Row& member : session.rows) {
        if (member.parent == key->id) drums.insert(drumOfRow(session, member.id));
    }
    return drums.size() == 1 ? *drums.begin() : drumOfRow(session, row);
}

KitMics kitMics(const Session& session, AudioStore& store, const Progress& progress) {
    KitMics kit;
    kit.sampleRate = session.sampleRate;
    kit.padded.reserve(2 * session.rows.size());
    for (std::size_t r = 0; r < session.rows.size(); ++r) {
        const Row& row = session.rows[r];
        if (!isListenedTo(row)) continue;
        report(progress, static_cast<double>(r) / static_cast<double>(session.rows.size()),
               "Reading " + row.name);
        MicSignal mic;
        mic.id = row.id;
        mic.role = row.role;
        mic.name = row.name;
        const auto offsetOf = [&](const Source& source) {
            return static_cast<Frames>(std::llround(source.offset * session.sampleRate));
        };
        mic.offset = offsetOf(row.sources.front());
        Frames end = mic.offset;
        for (const Source& source : row.sources) {
            kit.held.push_back(store.open(source.file, session.sampleRate));
            mic.offset = std::min(mic.offset, offsetOf(source));
            end = std::max(end, offsetOf(source) + kit.held.back()->frames());
        }
        auto clip = kit.held.end() - std::ssize(row.sources);
        for (const Source& source : row.sources) {
            const Clip& side = **clip++;
            mic.channels.push_back(
                aligned(kit, side.channel(std::min(source.channel, side.channels() - 1)),
                        offsetOf(source) - mic.offset, end - mic.offset));
        }
        kit.end = std::max(kit.end, end);
        kit.mics.push_back(std::move(mic));
    }
    kit.drums = drumsOf(session);
    return kit;
}

}  // namespace ember
