#include "core/advise/ready_bus.h"

#include "core/base/error.h"
#include "core/dsp/seat.h"
#include "core/session/feeds.h"
#include "core/session/kit.h"
#include "core/session/routing.h"

#include <algorithm>
#include <array>
#include <optional>
#include <utility>
#include <vector>

namespace ember {
namespace {

using Values = std::vector<std::pair<const char*, double>>;

struct Processing {
    const char* processor;
    Values values;
};
struct Recipe {
    ReadyBus bus;
    std::vector<Processing> chain;
    std::optional<double> (*sent)(Role role);  // how loud a role goes there, dB; nothing: it stays
    const char* endsAfter = nullptr;  // note value after which its gate closes behind each stroke
};

std::optional<double> whole(bool sent) {
    return sent ? std::optional(0.0) : std::nullopt;
}
bool isSkin(Role role) {
    const std::string_view bus = busOf(role);
    return bus == "kick-bus" || bus == "snare-bus" || bus == "tom-bus";
}
std::optional<double> snare(Role role) {
    return whole(role == Role::snareTop || role == Role::snare);
}
std::optional<double> skins(Role role) {
    return whole(isSkin(role));
}
// Without the wires, which a plate would only hiss with.
std::optional<double> snareAndToms(Role role) {
    return whole(isSkin(role) && busOf(role) != "kick-bus" && role != Role::snareBottom);
}
// By the bus of their kind; what hears the whole kit stays. Overheads stand over the cymbals and
// hear the kick through everything else; a room hears most what is struck hardest.
std::optional<double> byKind(Role role, double kick, double snare, double toms, double cymbals) {
    if (hearsAll(role)) return {};
    const std::string_view bus = busOf(role);
    if (bus == "kick-bus") return kick;
    if (bus == "snare-bus") return snare;
    if (bus == "tom-bus") return toms;
    if (bus == "cymbal-bus") return cymbals;
    return {};
}
std::optional<double> inOverheads(Role role) {
    return byKind(role, -14.0, -4.0, -5.0, 0.0);
}
std::optional<double> inRoom(Role role) {
    return byKind(role, -4.0, 0.0, -2.0, -8.0);
}

// Cymbals are left out: pressing lifts what rings on, and a space smears it.
const std::array<Recipe, 7>& recipes() {
    static const std::array<Recipe, 7> all{
        Recipe{{"press", "Press",
                "Kick, snare and toms pressed hard beside the mix, without their lowest lows: "
                "raised under it, they gain body and keep their front."},
               {{"eq",
                 {{"b1.on", 1.0}, {"b1.shape", 3.0}, {"b1.frequency", 100.0}, {"b1.slope", 1.0}}},
                {"compressor",
                 {{"threshold", -40.0},
                  {"ratio", 8.0},
                  {"attack", 1.0},
                  {"release", 90.0},
                  {"key-high-pass", 80.0},
                  {"make-up", 12.0}}}},
               skins},
        // Its level stays what it is: what follows the loudness would come late to every blend.
        Recipe{
            {"dirt", "Dirt",
             "Kick, snare and toms bent hard without their lows: raised under the mix, they gain "
             "density and keep their weight."},
            {{"eq",
              {{"b1.on", 1.0}, {"b1.shape", 3.0}, {"b1.frequency", 150.0}, {"b1.slope", 3.0}}},
             {"saturation",
              {{"drive", 24.0}, {"curve", 1.0}, {"match-level", 0.0}, {"output", -12.0}}}},
            skins},
        Recipe{
            {"plate", "Plate", "A plate for snare and toms: dense at once, bright, without walls."},
            {{"reverb",
              {{"kind", 0.0}, {"decay", 1300.0}, {"pre-delay", 15.0}, {"low-cut", 180.0}}}},
            snareAndToms},
        Recipe{{"room", "Small Room",
                "A small room for kick, snare and toms, so that they stand in one place."},
               {{"reverb",
                 {{"kind", 1.0},
                  {"decay", 450.0},
                  {"pre-delay", 0.0},
                  {"size", 80.0},
                  {"low-decay", 60.0},
                  {"low-cut", 120.0}}}},
               skins},
        Recipe{
            {"burst", "Burst",
             "A large room for the snare that stops an eighth after each stroke: big, and gone "
             "before the next one."},
            {{"reverb",
              {{"kind", 1.0},
               {"decay", 2500.0},
               {"pre-delay", 0.0},
               {"size", 140.0},
               {"density", 100.0},
               {"low-cut", 150.0}}},
             {"gate",
              {{"key-source", 1.0}, {"stroke-early", 2.0}, {"release", 10.0}, {"floor", -80.0}}}},
            snare,
            "1/8"},
        Recipe{{"overheads", "Kit Overheads",
                "What a pair over a programmed kit would hear: every drum, the cymbals most, near "
                "and open."},
               {{"reverb",
                 {{"kind", 1.0},
                  {"decay", 320.0},
                  {"pre-delay", 4.0},
                  {"size", 70.0},
                  {"early", 90.0},
                  {"low-cut", 150.0}}}},
               inOverheads},
        Recipe{{"kit-room", "Kit Room",
                "What a pair in the room of a programmed kit would hear: every drum, kick and "
                "snare most, late and large."},
               {{"reverb",
                 {{"kind", 1.0},
                  {"decay", 900.0},
                  {"pre-delay", 12.0},
                  {"size", 120.0},
                  {"low-cut", 50.0}}}},
               inRoom}};
    return all;
}

// Its gate listens to the strokes of what is sent there and closes a note value behind each.
Session endingBehindStrokes(Session session, const std::string& bus, const Recipe& recipe) {
    const auto key = std::find_if(session.rows.begin(), session.rows.end(), [&](const Row& r) {
        return r.kind == RowKind::element && recipe.sent(r.role).has_value();
    });
    if (key != session.rows.end()) {
        const std::string id = key->id;
        session = withKey(std::move(session), bus, "gate", id);
    }
    const double ms = noteMilliseconds(recipe.endsAfter, tempoHere(session));
    session = withValue(std::move(session), bus, "gate", "stroke-length", ms);
    // Behind the space, whose tail it cuts.
    const auto& chain = findRow(session, bus)->chain;
    const auto at = [&](const char* id) {
        return static_cast<int>(
            std::find_if(chain.begin(), chain.end(), [&](const Stage& s) { return s.id == id; }) -
            chain.begin());
    };
    const int steps = at("reverb") - at("gate");
    return steps > 0 ? withStageMoved(std::move(session), bus, "gate", steps) : session;
}

std::string freeName(const Session& session, const std::string& name) {
    const auto taken = [&](const std::string& text) {
        return std::any_of(session.rows.begin(), session.rows.end(),
                           [&](const Row& row) { return row.name == text; });
    };
    std::string free = name;
    for (int n = 2; taken(free); ++n) free = name + " " + std::to_string(n);
    return free;
}

}  // namespace

std::span<const ReadyBus> readyBuses() {
    static const std::vector<ReadyBus> buses = [] {
        std::vector<ReadyBus> out;
        for (const Recipe& r : recipes()) out.push_back(r.bus);
        return out;
    }();
    return buses;
}

Session withReadyBus(Session session, std::string_view id) {
    const auto recipe = std::find_if(recipes().begin(), recipes().end(),
                                     [&](const Recipe& r) { return r.bus.id == id; });
    if (recipe == recipes().end()) {
        std::string known;
        for (const ReadyBus& bus : readyBuses()) known += (known.empty() ? "" : ", ") + bus.id;
        throw Error("There is no ready bus “" + std::string(id) + "”; known are " + known + ".");
    }
    const std::string name = freeName(session, recipe->bus.name), bus = makeRowId(session, name);
    session = withBusAdded(std::move(session), name);
    for (const auto& [processor, values] : recipe->chain) {
        if (findStage(*findRow(session, bus), processor) == nullptr)
            session = withStageAdded(std::move(session), bus, processor);
        session = withStageOn(std::move(session), bus, processor, true);
        for (const auto& [parameter, value] : values)
            session = withValue(std::move(session), bus, processor, parameter, value);
    }
    if (recipe->endsAfter != nullptr)
        session = endingBehindStrokes(std::move(session), bus, *recipe);
    session = withValue(std::move(session), bus, "seat", "level",
                        processorType("seat").table[Seat::level].minimum);
    for (const Row& row : std::vector(session.rows)) {
        const auto level =
            row.kind == RowKind::element ? recipe->sent(row.role) : std::optional<double>();
        if (!level) continue;
        Send send;
        send.to = bus;
        send.levelDb = *level;
        session = withSend(std::move(session), row.id, send);
    }
    return session;
}

Session withKitSpace(Session session) {
    if (kitFeeds(session).drums.empty())
        throw Error(
            "No layers play a drum here: a kit that was recorded has its overheads and rooms.");
    for (const auto& [id, db] : {std::pair("overheads", -16.0), std::pair("kit-room", -22.0)}) {
        session = withReadyBus(std::move(session), id);
        const std::string bus = readyBusIn(session, id);
        session = withValue(std::move(session), bus, "seat", "level", db);
        for (const Row& row : std::vector(session.rows)) {
            if (playsRecordings(row) && findSend(row, bus) != nullptr)
                session = withSendRemoved(std::move(session), row.id, bus);
        }
    }
    return session;
}

std::string readyBusIn(const Session& session, std::string_view id) {
    const auto recipe = std::find_if(recipes().begin(), recipes().end(),
                                     [&](const Recipe& r) { return r.bus.id == id; });
    std::string newest;
    for (const Row& row : session.rows) {
        const bool named =
            recipe != recipes().end() &&
            (row.name == recipe->bus.name || row.name.starts_with(recipe->bus.name + " "));
        if (row.kind == RowKind::bus && named) newest = row.id;
    }
    return newest;
}

}  // namespace ember
