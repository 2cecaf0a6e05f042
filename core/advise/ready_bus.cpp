#include "core/advise/ready_bus.h"

#include "core/base/error.h"
#include "core/dsp/seat.h"
#include "core/session/kit.h"
#include "core/session/routing.h"

#include <algorithm>
#include <array>
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
    bool (*sent)(Role role);
    const char* endsAfter = nullptr;  // note value after which its gate closes behind each stroke
};

bool isSnare(Role role) {
    return role == Role::snareTop || role == Role::snare;
}
bool isSkin(Role role) {
    const std::string_view bus = busOf(role);
    return bus == "kick-bus" || bus == "snare-bus" || bus == "tom-bus";
}
// Without the wires, which a plate would only hiss with.
bool isSnareOrTom(Role role) {
    return isSkin(role) && busOf(role) != "kick-bus" && role != Role::snareBottom;
}

// Cymbals are left out: pressing lifts what rings on, and a space smears it.
const std::array<Recipe, 5>& recipes() {
    static const std::array<Recipe, 5> all{
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
               isSkin},
        // Its level stays what it is: what follows the loudness would come late to every blend.
        Recipe{
            {"dirt", "Dirt",
             "Kick, snare and toms bent hard without their lows: raised under the mix, they gain "
             "density and keep their weight."},
            {{"eq",
              {{"b1.on", 1.0}, {"b1.shape", 3.0}, {"b1.frequency", 150.0}, {"b1.slope", 3.0}}},
             {"saturation",
              {{"drive", 24.0}, {"curve", 1.0}, {"match-level", 0.0}, {"output", -12.0}}}},
            isSkin},
        Recipe{
            {"plate", "Plate", "A plate for snare and toms: dense at once, bright, without walls."},
            {{"reverb",
              {{"kind", 0.0}, {"decay", 1300.0}, {"pre-delay", 15.0}, {"low-cut", 180.0}}}},
            isSnareOrTom},
        Recipe{{"room", "Small Room",
                "A small room for kick, snare and toms, so that they stand in one place."},
               {{"reverb",
                 {{"kind", 1.0},
                  {"decay", 450.0},
                  {"pre-delay", 0.0},
                  {"size", 80.0},
                  {"low-decay", 60.0},
                  {"low-cut", 120.0}}}},
               isSkin},
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
            isSnare,
            "1/8"}};
    return all;
}

// Its gate listens to the strokes of what is sent there and closes a note value behind each.
Session endingBehindStrokes(Session session, const std::string& bus, const Recipe& recipe) {
    const auto key = std::find_if(session.rows.begin(), session.rows.end(), [&](const Row& r) {
        return r.kind == RowKind::element && recipe.sent(r.role);
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
        if (row.kind != RowKind::element || !recipe->sent(row.role)) continue;
        Send send;
        send.to = bus;
        session = withSend(std::move(session), row.id, send);
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
