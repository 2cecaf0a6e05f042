#include "core/measure/kit_mics.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace ember {
namespace {

struct Place {
    const char* drum;
    DrumFamily family;
    int rank;  // 0 is best for timing
};

// Toms and percussion get their numbers later.
std::optional<Place> placeOf(Role role) {
    switch (role) {
        case Role::kickIn:
            return Place{"kick", DrumFamily::kick, 0};
        case Role::kick:
            return Place{"kick", DrumFamily::kick, 1};
        case Role::kickOut:
            return Place{"kick", DrumFamily::kick, 2};
        case Role::snareTop:
            return Place{"snare", DrumFamily::snare, 0};
        case Role::snare:
            return Place{"snare", DrumFamily::snare, 1};
        case Role::snareBottom:
            return Place{"snare", DrumFamily::snare, 2};
        case Role::hat:
            return Place{"hihat", DrumFamily::hat, 0};
        case Role::ride:
        case Role::crash:
            return Place{"cymbal", DrumFamily::cymbal, 0};
        case Role::rackTom:
        case Role::tom:
        case Role::floorTom:
            return Place{"tom", DrumFamily::tom, 0};
        case Role::percussion:
        case Role::unknown:
            return Place{"percussion", DrumFamily::percussion, 0};
        default:
            return std::nullopt;
    }
}

int tomRank(Role role) {
    return role == Role::rackTom ? 0 : (role == Role::tom ? 1 : 2);
}

}  // namespace

bool hearsAll(Role role) {
    return role == Role::overhead || role == Role::room || role == Role::kit;
}

std::vector<KitDrum> drumsOf(const std::vector<Role>& mics) {
    std::vector<KitDrum> drums;
    std::vector<int> toms;
    bool whole = false;
    const auto drum = [&](const char* id, DrumFamily family) -> KitDrum& {
        for (KitDrum& d : drums) {
            if (d.id == id) return d;
        }
        drums.push_back({id, family, {}});
        return drums.back();
    };
    for (std::size_t m = 0; m < mics.size(); ++m) {
        whole = whole || hearsAll(mics[m]);
        const auto place = placeOf(mics[m]);
        if (!place) continue;
        if (place->family == DrumFamily::tom)
            toms.push_back(static_cast<int>(m));
        else
            drum(place->drum, place->family).mics.push_back(static_cast<int>(m));
    }
    for (KitDrum& d : drums) {
        std::stable_sort(d.mics.begin(), d.mics.end(), [&](int a, int b) {
            return placeOf(mics[static_cast<std::size_t>(a)])->rank <
                   placeOf(mics[static_cast<std::size_t>(b)])->rank;
        });
    }
    std::stable_sort(toms.begin(), toms.end(), [&](int a, int b) {
        return tomRank(mics[static_cast<std::size_t>(a)]) <
               tomRank(mics[static_cast<std::size_t>(b)]);
    });
    for (std::size_t t = 0; t < toms.size(); ++t)
        drums.push_back({"tom-" + std::to_string(t + 1), DrumFamily::tom, {toms[t]}});
    if (whole) {
        drum("kick", DrumFamily::kick);
        drum("snare", DrumFamily::snare);
        drum("hihat", DrumFamily::hat);
        drum("cymbal", DrumFamily::cymbal);
        if (toms.empty()) drum("tom-1", DrumFamily::tom);
    }
    std::stable_sort(drums.begin(), drums.end(), [](const KitDrum& a, const KitDrum& b) {
        return static_cast<int>(a.family) < static_cast<int>(b.family);
    });
    return drums;
}

KitMics kitMics(const Session& session, AudioStore& store, const Progress& progress) {
    KitMics kit;
    kit.sampleRate = session.sampleRate;
    for (std::size_t r = 0; r < session.rows.size(); ++r) {
        const Row& row = session.rows[r];
        if (row.kind != RowKind::element || row.sources.empty()) continue;
        report(progress, static_cast<double>(r) / static_cast<double>(session.rows.size()),
               "Reading " + row.name);
        MicSignal mic;
        mic.id = row.id;
        mic.role = row.role;
        for (const Source& source : row.sources) {
            const auto clip = store.open(source.file, session.sampleRate);
            kit.held.push_back(clip);
            mic.channels.push_back(clip->channel(std::min(source.channel, clip->channels() - 1)));
            mic.offset = static_cast<Frames>(std::llround(source.offset * session.sampleRate));
            kit.end = std::max(kit.end, mic.offset + clip->frames());
        }
        kit.mics.push_back(std::move(mic));
    }
    std::vector<Role> roles;
    for (const MicSignal& mic : kit.mics) roles.push_back(mic.role);
    kit.drums = drumsOf(roles);
    return kit;
}

std::string drumOfRow(const Session& session, std::string_view id) {
    std::vector<Role> roles;
    int place = -1;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element || row.sources.empty()) continue;
        if (row.id == id) place = static_cast<int>(roles.size());
        roles.push_back(row.role);
    }
    if (place < 0) return {};
    for (const KitDrum& drum : drumsOf(roles)) {
        if (std::find(drum.mics.begin(), drum.mics.end(), place) != drum.mics.end()) return drum.id;
    }
    return {};
}

}  // namespace ember
