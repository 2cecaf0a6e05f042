#include "core/session/migrate.h"

#include <algorithm>
#include <map>

namespace ember {
namespace {

using Json = nlohmann::ordered_json;

void rename(Json& object) {
    if (!object.is_object() || !object.contains("drum")) return;
    object["drum_id"] = object["drum"];
    object.erase("drum");
}

// Format 1 counted toms from racks to floors, in the order of rows.
int tomRank(Role role) {
    return role == Role::rackTom ? 0 : (role == Role::tom ? 1 : 2);
}

}  // namespace

void renameDrumFields(Json& session) {
    if (!session.is_object()) return;
    for (const char* list : {"strokes", "notes"}) {
        if (!session.contains(list) || !session[list].is_array()) continue;
        for (Json& item : session[list]) rename(item);
    }
    if (session.contains("strokeEdits") && session["strokeEdits"].is_array()) {
        for (Json& edit : session["strokeEdits"]) {
            if (edit.is_object() && edit.contains("stroke")) rename(edit["stroke"]);
        }
    }
}

void gatherTime(Json& session) {
    if (session.contains("time")) return;
    Json tempo{{"quarter", 0.0}}, metre{{"bar", 0}, {"unit", 4}}, time = Json::object();
    // What is of the wrong kind or out of range is refused where the new fields are read.
    const auto moved = [&](const char* from, Json& into, const char* to) {
        if (!session.contains(from)) return;
        into[to] = session[from];
        session.erase(from);
    };
    moved("firstBar", time, "start");
    moved("tempo", tempo, "bpm");
    moved("beatsPerBar", metre, "beats");
    time["tempos"] = Json::array({tempo});
    time["metres"] = Json::array({metre});
    session["time"] = std::move(time);
}

Session withFixedStagesOn(Session session, std::vector<std::string>& remarks) {
    for (Row& row : session.rows) {
        for (Stage& stage : row.chain) {
            if (stage.on || (stage.type != "align" && stage.type != "seat")) continue;
            stage.on = true;
            const std::string& label = processorType(stage.type).label;
            if (stage.type == "align") stage.values = standardValues(processorType("align").table);
            remarks.push_back(row.name + " · " + label +
                              (stage.type == "align" ? " was off; it is on and moves nothing"
                                                     : " was off; it is on"));
        }
    }
    return session;
}

Session withDrumIds(Session session) {
    session = withDrums(std::move(session));
    std::vector<const Row*> toms;
    std::map<std::string, std::string> ids;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element || row.drum.empty()) continue;
        const DrumFamily family = drumFamily(row.drum);
        if (family == DrumFamily::tom) toms.push_back(&row);
        if (family == DrumFamily::cymbal) ids.emplace("cymbal", row.drum);
        if (family == DrumFamily::percussion) ids.emplace("percussion", row.drum);
    }
    std::stable_sort(toms.begin(), toms.end(), [](const Row* a, const Row* b) {
        return tomRank(a->role) < tomRank(b->role);
    });
    for (std::size_t t = 0; t < toms.size(); ++t)
        ids.emplace("tom-" + std::to_string(t + 1), toms[t]->drum);
    if (toms.empty()) ids.emplace("tom-1", "tom");
    const auto renamed = [&](std::string& drum) {
        if (const auto at = ids.find(drum); at != ids.end()) drum = at->second;
    };
    std::vector<Stroke> strokes = session.strokes.get();
    for (Stroke& s : strokes) renamed(s.drum);
    if (!strokes.empty()) session.strokes = Shared(std::move(strokes));
    for (StrokeEdit& edit : session.strokeEdits) renamed(edit.stroke.drum);
    for (NoteTarget& note : session.notes) renamed(note.drum);
    return session;
}

}  // namespace ember
