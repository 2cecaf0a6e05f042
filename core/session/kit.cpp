#include "core/session/kit.h"

#include "core/base/error.h"
#include "core/session/bleed.h"
#include "core/session/printed.h"
#include "core/session/routing.h"
#include "core/session/split.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <set>

namespace ember {
namespace {

// The first word of the ids of drums that rows of this role stand at; empty: at none.
std::string_view drumStem(Role role) {
    switch (role) {
        case Role::kickIn:
        case Role::kickOut:
        case Role::kick:
            return "kick";
        case Role::snareTop:
        case Role::snareBottom:
        case Role::snare:
            return "snare";
        case Role::hat:
            return "hihat";
        case Role::rackTom:
            return "rack-tom";
        case Role::floorTom:
            return "floor-tom";
        case Role::tom:
            return "tom";
        case Role::ride:
            return "ride";
        case Role::crash:
            return "crash";
        case Role::percussion:
            return "percussion";
        default:
            return {};
    }
}

// Several microphones of these stand at one drum; every other one stands at its own.
bool shared(Role role) {
    switch (role) {
        case Role::rackTom:
        case Role::floorTom:
        case Role::tom:
        case Role::crash:
        case Role::percussion:
            return false;
        default:
            return true;
    }
}

bool isOf(std::string_view id, std::string_view stem) {
    return id.starts_with(stem) && (id.size() == stem.size() || id[stem.size()] == '-');
}

struct Bus {
    std::string_view id;
    std::array<Role, 6> roles;
};
constexpr std::array<Bus, 6> kBuses{
    {{"kick-bus", {Role::kickIn, Role::kickOut, Role::kick, Role::kick, Role::kick, Role::kick}},
     {"snare-bus",
      {Role::snareTop, Role::snareBottom, Role::snare, Role::snare, Role::snare, Role::snare}},
     {"tom-bus", {Role::rackTom, Role::tom, Role::floorTom, Role::tom, Role::tom, Role::tom}},
     {"cymbal-bus", {Role::hat, Role::ride, Role::crash, Role::overhead, Role::hat, Role::hat}},
     {"room-bus", {Role::room, Role::room, Role::room, Role::room, Role::room, Role::room}},
     {"percussion-bus",
      {Role::percussion, Role::kit, Role::sample, Role::loop, Role::trigger, Role::unknown}}}};

double& alignValue(Row& row, const char* id) {
    Stage& align = row.chain.front();
    return align.values[static_cast<std::size_t>(parameterIndex(processorType("align").table, id))];
}

double& seatValue(Row& row, const char* id) {
    return row.chain.back()
        .values[static_cast<std::size_t>(parameterIndex(processorType("seat").table, id))];
}

// What the pan law adds to a mono row that stands all to one side.
const double kSideDb = 20.0 * std::log10(std::numbers::sqrt2);

Row& requireElement(Session& session, std::string_view id, std::size_t channels,
                    const char* otherwise) {
    Row& row = requireRow(session, id);
    if (!hasSources(row.kind) || row.sources.size() != channels)
        throw Error("“" + row.name + "” " + otherwise);
    return row;
}

}  // namespace

bool hearsAll(Role role) {
    return role == Role::overhead || role == Role::room || role == Role::kit ||
           role == Role::unknown;
}

bool isUnsure(const Row& row) {
    return row.kind == RowKind::element &&
           (row.role == Role::unknown || row.who.sure < kSureEnough);
}

std::string_view busOf(Role role) {
    for (const Bus& bus : kBuses) {
        if (std::find(bus.roles.begin(), bus.roles.end(), role) != bus.roles.end()) return bus.id;
    }
    return {};
}

bool isDrumBus(const Row& row) {
    return row.kind == RowKind::bus && row.id.starts_with("drum-bus");
}

std::string stemGroupOf(const Session& session, const Row& row) {
    std::string group = row.id;
    for (const Row* up = findRow(session, row.parent);
         up != nullptr && up->kind == RowKind::bus && !isDrumBus(*up);
         up = findRow(session, up->parent))
        group = up->id;
    return group;
}

std::vector<std::string> returnsOf(const Session& session, bool withGuests) {
    const auto sentTo = [&](const std::string& bus) {
        return std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& row) {
            return row.kind != RowKind::reference && (withGuests || row.kind != RowKind::guest) &&
                   std::any_of(row.sends.begin(), row.sends.end(),
                               [&](const Send& send) { return send.on && send.to == bus; });
        });
    };
    std::vector<std::string> out;
    for (const Row& row : session.rows) {
        if (!isStream(row) && sentTo(row.id)) out.push_back(row.id);
    }
    return out;
}

int kitOrder(Role role) {
    int place = 0;
    for (const Bus& bus : kBuses) {
        for (const Role r : bus.roles) {
            if (r == role) return place;
            ++place;
        }
    }
    return place;
}

Session withDrums(Session session) {
    std::set<std::string> occupied;
    for (Row& row : session.rows) {
        const std::string_view stem =
            row.kind == RowKind::element ? drumStem(row.role) : std::string_view{};
        // Layers are struck by whatever drum they were put under; a part is a drum's.
        if ((!row.layers.empty() || isMade(row)) && stem.empty() && !row.drum.empty()) continue;
        const bool keeps = !row.drum.empty() && !stem.empty() &&
                           drumFamily(row.drum) == drumFamily(stem) &&
                           (shared(row.role) || !occupied.contains(row.drum));
        if (!keeps) row.drum.clear();
        if (keeps) occupied.insert(row.drum);
    }
    const auto known = [&](const std::string& id) {
        return std::any_of(session.drums.begin(), session.drums.end(),
                           [&](const Drum& d) { return d.id == id; });
    };
    for (Row& row : session.rows) {
        const std::string_view stem =
            row.kind == RowKind::element ? drumStem(row.role) : std::string_view{};
        if (stem.empty()) continue;
        if (row.drum.empty()) {
            for (const Drum& d : session.drums) {
                if (isOf(d.id, stem) && (shared(row.role) || !occupied.contains(d.id))) {
                    row.drum = d.id;
                    break;
                }
            }
        }
        if (row.drum.empty()) {
            row.drum = stem;
            for (int n = 2; known(row.drum); ++n)
                row.drum = std::string(stem) + "-" + std::to_string(n);
        }
        occupied.insert(row.drum);
        // A drum with one microphone is called what that is called.
        if (!known(row.drum))
            session.drums.push_back(
                {row.drum, shared(row.role) ? usualDrumName(row.drum) : row.name});
    }
    return session;
}

std::string drumName(const Session& session, std::string_view drum) {
    for (const Drum& d : session.drums) {
        if (d.id == drum) return d.name;
    }
    return usualDrumName(drum);
}

std::string requireDrum(const Session& session, std::string_view text) {
    const auto same = [](std::string_view a, std::string_view b) {
        return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](char x, char y) {
            return std::tolower(static_cast<unsigned char>(x)) ==
                   std::tolower(static_cast<unsigned char>(y));
        });
    };
    std::string list;
    for (const Drum& d : session.drums) {
        if (same(d.id, text) || same(d.name, text)) return d.id;
        list += (list.empty() ? "" : ", ") + d.name;
    }
    for (const char* id : {"kick", "snare", "hihat", "tom", "cymbal"}) {
        if (same(id, text) || same(usualDrumName(id), text)) return id;
    }
    throw Error("There is no drum “" + std::string(text) + "”" +
                (list.empty() ? "." : "; the session has " + list + "."));
}

Session withName(Session session, std::string_view id, std::string name) {
    const auto first = name.find_first_not_of(" \t");
    if (first == std::string::npos)
        throw Error("A name cannot be empty; type at least one letter.");
    name = name.substr(first, name.find_last_not_of(" \t") - first + 1);
    Row& row = requireRow(session, id);
    int stands = 0;
    for (const Row& r : session.rows) stands += r.drum == row.drum ? 1 : 0;
    for (Drum& d : session.drums) {
        if (d.id == row.drum && stands == 1 && d.name == row.name) d.name = name;
    }
    row.name = std::move(name);
    return session;
}

Session withRole(Session session, std::string_view id, Role role) {
    const std::string rowId(id);
    {
        Row& row = requireRow(session, rowId);
        if (!hasSources(row.kind))
            throw Error("“" + row.name + "” is a bus; only what has a recording has a role.");
        row.role = role;
        row.who = {1.0, {"person"}, {}};
        const RowKind kind = role == Role::bass        ? RowKind::guest
                             : role == Role::reference ? RowKind::reference
                                                       : RowKind::element;
        if (!row.layers.empty() && kind != RowKind::element)
            throw Error("“" + row.name +
                        "” plays layers, which only an element does; give it a "
                        "drum's role, or sample.");
        // What is no drum stays a guest when nobody says what drum it is.
        if (!(row.kind == RowKind::guest && role == Role::unknown)) row.kind = kind;
        if (row.kind == RowKind::reference) {
            std::erase_if(row.chain,
                          [](const Stage& s) { return s.type != "align" && s.type != "seat"; });
            row.parent.clear();
            row.sends.clear();
        } else if (row.kind == RowKind::guest) {
            row.parent = mainRow(session);
        } else {
            const auto bus = [&](std::string_view wanted) {
                const Row* r = findRow(session, wanted);
                return r != nullptr && r->kind == RowKind::bus ? r->id : std::string{};
            };
            // What a person has routed elsewhere stays there while it is of the same group.
            std::string to = bus(busOf(role));
            if (to.empty()) to = bus("drum-bus");
            row.parent = to.empty() ? mainRow(session) : to;
        }
    }
    Row& moved = requireRow(session, rowId);
    std::erase_if(moved.sends, [&](const Send& send) { return send.to == moved.parent; });
    if (!moved.parent.empty()) seatRow(session, rowId);
    // What listens to a bus may not come into it.
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    return withDrums(std::move(session));
}

Session withPaired(Session session, std::string_view leftId, std::string_view rightId) {
    if (leftId == rightId)
        throw Error("A pair needs two rows; choose another one for the right side.");
    Row& left =
        requireElement(session, leftId, 1, "has two sides already; choose a mono recording.");
    Row& right =
        requireElement(session, rightId, 1, "has two sides already; choose a mono recording.");
    left.sources.push_back(right.sources.front());
    alignValue(left, "right-trim") =
        std::clamp(alignValue(right, "trim") - alignValue(left, "trim"), -24.0, 24.0);
    alignValue(left, "right-delay") =
        std::clamp(alignValue(right, "delay") - alignValue(left, "delay"), -30.0, 30.0);
    alignValue(left, "right-polarity") =
        alignValue(right, "polarity") != alignValue(left, "polarity") ? 1.0 : 0.0;
    seatValue(left, "pan") = 0.0;
    left.who.sure = std::min(left.who.sure, right.who.sure);
    const std::string gone = right.id, stays = left.id;
    std::erase_if(session.rows, [&](const Row& r) { return r.id == gone; });
    for (Row& row : session.rows) {
        for (Stage& stage : row.chain) {
            if (stage.key == gone) stage.key = row.id == stays ? std::string{} : stays;
        }
    }
    return withDrums(std::move(session));
}

Session withParted(Session session, std::string_view id) {
    requireElement(session, id, 2, "has one side only; there is nothing to part.");
    const std::string name = requireRow(session, id).name;
    Row right = requireRow(session, id);
    right.name = name + " R";
    right.id = makeRowId(session, right.name);
    right.sources.erase(right.sources.begin());
    alignValue(right, "trim") =
        std::clamp(alignValue(right, "trim") + alignValue(right, "right-trim"), -24.0, 24.0);
    alignValue(right, "delay") =
        std::clamp(alignValue(right, "delay") + alignValue(right, "right-delay"), -30.0, 30.0);
    alignValue(right, "polarity") =
        alignValue(right, "polarity") != alignValue(right, "right-polarity") ? 1.0 : 0.0;
    Row& left = requireRow(session, id);
    left.name = name + " L";
    left.sources.pop_back();
    for (Row* row : {&left, &right}) {
        for (const char* side : {"right-trim", "right-delay", "right-polarity"})
            alignValue(*row, side) = 0.0;
    }
    seatValue(left, "pan") = -100.0;
    seatValue(right, "pan") = 100.0;
    for (Row* row : {&left, &right}) {
        double& level = seatValue(*row, "level");
        level = std::max(level - kSideDb, processorType("seat").table.front().minimum);
    }
    right.drum.clear();
    session.rows.insert(session.rows.begin() + (&left - session.rows.data()) + 1, std::move(right));
    return withDrums(std::move(session));
}

Session withSidesExchanged(Session session, std::string_view id) {
    Row& row = requireElement(session, id, 2, "has one side only; there is nothing to exchange.");
    std::swap(row.sources[0], row.sources[1]);
    const auto turn = [&](const char* both, const char* own) {
        alignValue(row, both) += alignValue(row, own);
        alignValue(row, own) = -alignValue(row, own);
    };
    turn("trim", "right-trim");
    turn("delay", "right-delay");
    if (alignValue(row, "right-polarity") >= 0.5)
        alignValue(row, "polarity") = 1.0 - alignValue(row, "polarity");
    return session;
}

}  // namespace ember
