#include "core/session/json_snapshot.h"

#include "core/session/json_reader.h"
#include "core/session/json_row.h"
#include "core/session/snapshot.h"

namespace ember {

using Json = nlohmann::ordered_json;

namespace {

Json clipToJson(const MixClip& clip) {
    Json json{{"from", clip.from}, {"to", clip.to}, {"loudness", clip.lufs}};
    Json& audio = json["audio"] = Json::array();
    for (const Source& s : clip.audio) audio.push_back(sourceToJson(s, false));
    keepUnknown(json, clip.extra);
    return json;
}

MixClip readClip(const Json& json, const std::string& place) {
    Reader in(json, place);
    MixClip clip;
    clip.from = in.number("from", 0.0, 0.0, 86400.0);
    clip.to = in.number("to", 0.0, 0.0, 86400.0);
    if (clip.to <= clip.from) throw in.fault("to", "later than “from”");
    clip.lufs = in.number("loudness", -70.0, -200.0, 40.0);
    in.array("audio", [&](const Json& item, const std::string& at) {
        clip.audio.push_back(sourceFromJson(item, at, false));
    });
    if (clip.audio.size() != 2) throw in.fault("audio", "a list of two, left and right");
    clip.extra = in.extra();
    return clip;
}

}  // namespace

Json toJson(const Snapshot& snapshot) {
    Json json{{"id", snapshot.id}, {"name", snapshot.name}, {"time", snapshot.time}};
    if (!snapshot.note.empty()) json["note"] = snapshot.note;
    if (snapshot.verdict != Verdict::open) json["verdict"] = toString(snapshot.verdict);
    Json& rows = json["rows"] = Json::array();
    for (const Row& row : snapshot.rows.get()) rows.push_back(toJson(row));
    if (!snapshot.pattern.get().notes.empty()) json["pattern"] = toJson(snapshot.pattern.get());
    if (snapshot.clip) json["clip"] = clipToJson(*snapshot.clip);
    keepUnknown(json, snapshot.extra);
    return json;
}

Snapshot snapshotFromJson(const Json& json, const std::string& place) {
    Reader in(json, place);
    Snapshot snapshot;
    snapshot.id = in.requiredText("id");
    snapshot.name = in.requiredText("name");
    snapshot.time = static_cast<std::int64_t>(in.number("time", 0, 0, 1e12));
    snapshot.note = in.text("note");
    snapshot.verdict = verdictFrom(in.text("verdict", "open"));
    std::vector<Row> rows;
    in.array("rows", [&](const Json& item, const std::string& at) {
        rows.push_back(rowFromJson(item, at));
    });
    snapshot.rows = Shared(std::move(rows));
    if (const Json* pattern = in.field("pattern"))
        snapshot.pattern = Shared(patternFromJson(*pattern, place + ".pattern"));
    if (const Json* clip = in.field("clip")) snapshot.clip = readClip(*clip, place + ".clip");
    snapshot.extra = in.extra();
    return snapshot;
}

}  // namespace ember
