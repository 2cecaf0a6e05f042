#include "core/session/json_row.h"

#include "core/base/text.h"
#include "core/dsp/equaliser.h"
#include "core/session/bleed.h"
#include "core/session/control.h"
#include "core/session/json_curve.h"
#include "core/session/json_reader.h"

namespace ember {
namespace {

using Json = nlohmann::ordered_json;

// Whether a value belongs to a band of an equaliser that nobody ever touched.
bool untouchedPart(const Stage& stage, std::size_t index) {
    if (stage.type != "eq" || index >= static_cast<std::size_t>(kEqAmount)) return false;
    return !eqBandInUse(stage.values, static_cast<int>(index) / kEqFields);
}

Role roleAt(const std::string& text, const std::string& place) {
    try {
        return roleFrom(text);
    } catch (const Error& error) {
        throw Error(place + ": " + error.what());
    }
}

double readValue(const Parameter& p, const Json& value, const std::string& place) {
    const auto fault = [&](const std::string& why) { return Error(place + ": " + why); };
    try {
        if (value.is_boolean() && p.scale == Scale::toggle) return value.get<bool>() ? 1.0 : 0.0;
        if (value.is_string()) return parseValue(p, value.get<std::string>());
        if (value.is_number() && p.scale != Scale::toggle && p.scale != Scale::choice) {
            const double x = value.get<double>();
            if (x >= p.minimum && x <= p.maximum) return x;
        }
        return parseValue(p, value.dump());
    } catch (const Error& error) {
        throw fault(error.what());
    }
}

// Choices by their names, switches as such, numbers in real units.
Json valueToJson(const Parameter& p, double value) {
    if (p.scale == Scale::choice) return formatValue(p, value);
    if (p.scale == Scale::toggle) return value >= 0.5;
    return value;
}

// Values of a table from a field called "values"; what is not there has its default.
std::vector<double> readValues(Reader& in, ParameterTable table, const std::string& whose) {
    std::vector<double> out = standardValues(table);
    const Json* values = in.field("values");
    if (values == nullptr) return out;
    if (!values->is_object()) throw in.fault("values", "an object");
    const std::string inside = in.place() + ".values.";
    for (const auto& [name, value] : values->items()) {
        const int index = parameterIndex(table, name);
        std::string where = inside;
        where += name;
        if (index < 0) throw unknownValue(where, whose);
        const auto at = static_cast<std::size_t>(index);
        out[at] = readValue(table[at], value, where);
    }
    return out;
}

Json sendToJson(const Send& send) {
    Json json{{"to", send.to},
              {"from", send.before ? "before-fader" : "after-fader"},
              {"on", send.on},
              {"level", send.levelDb},
              {"pan", send.pan}};
    if (!send.curves.empty()) json["curves"] = curvesToJson(send.curves);
    keepUnknown(json, send.extra);
    return json;
}

Send readSend(const Json& json, const std::string& place) {
    Reader in(json, place);
    Send send;
    send.to = in.requiredText("to");
    const std::string from = in.text("from", "after-fader");
    send.before = from == "before-fader";
    if (!send.before && from != "after-fader")
        throw Error(place + ".from should be “before-fader” or “after-fader”.");
    send.on = in.flag("on", true);
    send.levelDb = in.number("level", 0.0, kSendLowest, kSendHighest);
    send.pan = in.number("pan", 0.0, -100.0, 100.0);
    send.curves = readCurves(in, processorType("seat").table, "a send");
    send.extra = in.extra();
    return send;
}

Json printToJson(const Print& print) {
    Json json{{"recipe", print.recipe}, {"time", print.time}};
    Json& audio = json["audio"] = Json::array();
    for (const Source& s : print.audio) audio.push_back(sourceToJson(s, false));
    keepUnknown(json, print.extra);
    return json;
}

std::int64_t readDate(Reader& in) {
    return static_cast<std::int64_t>(in.number("time", 0, 0, 1e12));
}

Print readPrint(const Json& json, const std::string& place) {
    Reader in(json, place);
    Print print;
    print.recipe = in.text("recipe");
    print.time = readDate(in);
    in.array("audio", [&](const Json& item, const std::string& at) {
        print.audio.push_back(sourceFromJson(item, at, false));
    });
    if (print.audio.empty() || print.audio.size() > 2)
        throw in.fault("audio", "a list of one or two files");
    print.extra = in.extra();
    return print;
}

Json printedToJson(const PrintedOf& printed) {
    Json json{{"row", printed.row},
              {"recipe", printed.recipe},
              {"semitones", printed.semitones},
              {"time", printed.time}};
    keepUnknown(json, printed.extra);
    return json;
}

PrintedOf readPrinted(const Json& json, const std::string& place) {
    Reader in(json, place);
    PrintedOf printed{in.requiredText("row"), in.text("recipe"),
                      in.number("semitones", 0.0, kLowestShift, kHighestShift), readDate(in)};
    printed.extra = in.extra();
    return printed;
}

Identity readIdentity(const Json& json, const std::string& place) {
    Reader in(json, place);
    Identity who;
    who.sure = in.number("sure", 1.0, 0.0, 1.0);
    in.array("grounds", [&](const Json& item, const std::string& at) {
        if (!item.is_string()) throw Error(at + " should be a text; remove it.");
        who.grounds.push_back(item.get<std::string>());
    });
    in.array("alternatives", [&](const Json& item, const std::string& at) {
        Reader likely(item, at);
        who.alternatives.push_back(
            {roleAt(likely.requiredText("role"), at), likely.number("sure", 0.0, 0.0, 1.0)});
    });
    return who;
}

}  // namespace

Json sourceToJson(const Source& s, bool whole) {
    Json json{{"file", asUtf8(s.file)}, {"hash", s.hash}};
    if (!whole) {
        json["channel"] = s.channel + 1;
        json["offset"] = s.offset;
    }
    // JSON is UTF-8; names of files need not be.
    if (!isUtf8(s.file)) json["file_bytes"] = hexOf(s.file);
    keepUnknown(json, s.extra);
    return json;
}

Source sourceFromJson(const Json& json, const std::string& place, bool whole) {
    Reader in(json, place);
    Source s{in.requiredText("file"), in.text("hash")};
    if (!whole) {
        s.channel = static_cast<int>(in.number("channel", 1, 1, 64)) - 1;
        s.offset = in.number("offset", 0.0, -86400.0, 86400.0);
    }
    if (const std::string bytes = bytesOfHex(in.text("file_bytes")); !bytes.empty()) s.file = bytes;
    s.extra = in.extra();
    return s;
}

Json toJson(const Stage& stage) {
    Json json{
        {"id", stage.id}, {"type", stage.type}, {"on", stage.on}, {"mark", toString(stage.mark)}};
    if (!stage.key.empty()) json["key"] = stage.key;
    Json values = Json::object();
    const ParameterTable table = processorType(stage.type).table;
    for (std::size_t i = 0; i < table.size(); ++i) {
        if (untouchedPart(stage, i)) continue;
        values[table[i].id] = valueToJson(table[i], stage.values[i]);
    }
    json["values"] = std::move(values);
    if (!stage.words.empty()) json["words"] = stage.words;
    if (!stage.drums.empty()) json["drums"] = stage.drums;
    if (!stage.curves.empty()) json["curves"] = curvesToJson(stage.curves);
    if (!stage.data.empty()) json["data"] = stage.data;
    if (!stage.controls.empty()) {
        Json& controls = json["controls"] = Json::array();
        for (const ControlTarget& t : stage.controls)
            controls.push_back({{"control", t.control},
                                {"parameter", t.parameter},
                                {"from", t.from},
                                {"to", t.to}});
    }
    keepUnknown(json, stage.extra);
    return json;
}

Json toJson(const Row& row) {
    Json json{{"id", row.id},
              {"name", row.name},
              {"kind", toString(row.kind)},
              {"role", toString(row.role)}};
    if (!row.drum.empty()) json["drum_id"] = row.drum;
    if (row.who != Identity{}) {
        Json& who = json["who"] = {{"sure", row.who.sure}, {"grounds", row.who.grounds}};
        if (!row.who.alternatives.empty()) {
            Json& list = who["alternatives"] = Json::array();
            for (const Likely& l : row.who.alternatives)
                list.push_back({{"role", toString(l.role)}, {"sure", l.sure}});
        }
    }
    if (!row.parent.empty()) json["feeds"] = row.parent;
    json["mute"] = row.mute;
    json["solo"] = row.solo;
    if (!row.sources.empty()) {
        Json& sources = json["sources"] = Json::array();
        for (const Source& s : row.sources) sources.push_back(sourceToJson(s, false));
    }
    if (!row.layers.empty()) {
        Json& layers = json["layers"] = Json::array();
        for (const Layer& layer : row.layers) layers.push_back(toJson(layer));
    }
    if (!row.sends.empty()) {
        Json& sends = json["sends"] = Json::array();
        for (const Send& send : row.sends) sends.push_back(sendToJson(send));
    }
    if (row.frozen) json["frozen"] = printToJson(*row.frozen);
    if (row.printed) json["printed"] = printedToJson(*row.printed);
    Json& chain = json["chain"] = Json::array();
    for (const Stage& stage : row.chain) chain.push_back(toJson(stage));
    keepUnknown(json, row.extra);
    return json;
}

Stage stageFromJson(const Json& json, const std::string& place) {
    Reader in(json, place);
    Stage stage;
    stage.type = in.requiredText("type");
    const ProcessorType* type = nullptr;
    try {
        type = &processorType(stage.type);
        stage.mark = markFrom(in.text("mark", "untouched"));
    } catch (const Error& error) {
        throw Error(place + ": " + error.what());
    }
    stage.id = in.text("id", stage.type);
    stage.on = in.flag("on", false);
    stage.key = in.text("key");
    stage.values = readValues(in, type->table, type->label);
    if (const Json* words = in.field("words")) {
        if (!words->is_object()) throw in.fault("words", "an object");
        for (const auto& [name, value] : words->items()) {
            if (!value.is_string()) throw in.fault("words", "an object of texts");
            stage.words[name] = value.get<std::string>();
        }
    }
    if (const Json* drums = in.field("drums")) {
        if (!drums->is_object()) throw in.fault("drums", "an object");
        for (const auto& [drum, value] : drums->items()) {
            if (!value.is_number() || !(value.get<double>() >= kBleedLowest) ||
                !(value.get<double>() <= kBleedHighest))
                throw in.fault(("drums." + drum).c_str(), "a number from −60 to 12 (dB)");
            stage.drums[drum] = value.get<double>();
        }
    }
    stage.curves = readCurves(in, type->table, type->label);
    stage.data = in.text("data");
    in.array("controls", [&](const Json& item, const std::string& at) {
        Reader one(item, at);
        ControlTarget t{one.requiredText("control"), one.requiredText("parameter")};
        const int index = parameterIndex(type->table, t.parameter);
        if (index < 0) throw unknownValue(at + ".parameter", type->label);
        const Parameter& p = type->table[static_cast<std::size_t>(index)];
        if (!controllable(stage, p)) throw one.fault("parameter", "one that a control may move");
        t.from = one.number("from", p.minimum, p.minimum, p.maximum);
        t.to = one.number("to", p.maximum, p.minimum, p.maximum);
        if (t.from == t.to) throw one.fault("to", "another value than “from”");
        stage.controls.push_back(std::move(t));
    });
    stage.extra = in.extra();
    return stage;
}

Row rowFromJson(const Json& json, const std::string& place) {
    Reader in(json, place);
    Row row;
    row.id = in.requiredText("id");
    row.name = in.text("name", row.id);
    try {
        row.kind = rowKindFrom(in.text("kind", "element"));
        row.role = roleFrom(in.text("role", "unknown"));
    } catch (const Error& error) {
        throw Error(place + ": " + error.what());
    }
    row.drum = in.text("drum_id");
    if (const Json* who = in.field("who")) row.who = readIdentity(*who, place + ".who");
    row.parent = in.text("feeds");
    row.mute = in.flag("mute", false);
    row.solo = in.flag("solo", false);
    in.array("sources", [&](const Json& item, const std::string& at) {
        row.sources.push_back(sourceFromJson(item, at, false));
    });
    in.array("layers", [&](const Json& item, const std::string& at) {
        row.layers.push_back(layerFromJson(item, at));
    });
    in.array("sends", [&](const Json& item, const std::string& at) {
        row.sends.push_back(readSend(item, at));
    });
    in.array("chain", [&](const Json& item, const std::string& at) {
        row.chain.push_back(stageFromJson(item, at));
    });
    if (const Json* print = in.field("frozen")) row.frozen = readPrint(*print, place + ".frozen");
    if (const Json* of = in.field("printed")) row.printed = readPrinted(*of, place + ".printed");
    if (row.chain.empty()) row.chain = makeChain(row.kind);
    row.extra = in.extra();
    return row;
}

Json toJson(const Stroke& s) {
    Json json{{"time", s.time},
              {"drum_id", s.drum},
              {"mic", s.mic},
              {"velocity", s.velocity},
              {"level", s.levelDb},
              {"kind", toString(s.kind)},
              {"confidence", s.confidence},
              {"byHand", s.byHand}};
    if (s.articulation != 0) json["articulation"] = s.articulation;
    keepUnknown(json, s.extra);
    return json;
}

Stroke strokeFromJson(const Json& json, const std::string& place) {
    Reader in(json, place);
    Stroke s;
    s.time = in.number("time", 0.0, -86400.0, 86400.0);
    s.drum = in.requiredText("drum_id");
    s.mic = in.text("mic");
    s.velocity = in.number("velocity", 0.0, 0.0, 1.0);
    s.levelDb = in.number("level", 0.0, -300.0, 300.0);
    s.kind = strokeKindFrom(in.text("kind", "normal"));
    s.confidence = in.number("confidence", 0.0, 0.0, 1.0);
    s.byHand = in.flag("byHand", false);
    s.articulation = static_cast<int>(in.number("articulation", 0, 0, 15));
    s.extra = in.extra();
    return s;
}

Json toJson(const Layer& layer) {
    Json json{{"id", layer.id}, {"name", layer.name}};
    Json& sounds = json["sounds"] = Json::array();
    for (const Source& s : layer.sounds) sounds.push_back(sourceToJson(s, true));
    Json& values = json["values"] = Json::object();
    const ParameterTable table = layerTable();
    for (std::size_t i = 0; i < table.size(); ++i)
        values[table[i].id] = valueToJson(table[i], layer.values[i]);
    keepUnknown(json, layer.extra);
    return json;
}

Layer layerFromJson(const Json& json, const std::string& place) {
    Reader in(json, place);
    Layer layer;
    layer.id = in.requiredText("id");
    layer.name = in.text("name", layer.id);
    in.array("sounds", [&](const Json& item, const std::string& at) {
        layer.sounds.push_back(sourceFromJson(item, at, true));
    });
    if (layer.sounds.empty()) throw in.fault("sounds", "a list with at least one file");
    layer.values = readValues(in, layerTable(), "a layer");
    layer.extra = in.extra();
    return layer;
}

Json toJson(const Pattern& pattern) {
    Json json{{"pulses", pattern.pulses}};
    Json& notes = json["notes"] = Json::array();
    for (const Note& n : pattern.notes) {
        Json note{{"tick", n.tick}, {"drum_id", n.drum}, {"velocity", n.velocity}};
        if (n.length != 0) note["length"] = n.length;
        if (n.articulation != 0) note["articulation"] = n.articulation;
        if (n.key >= 0) note["key"] = n.key;
        keepUnknown(note, n.extra);
        notes.push_back(std::move(note));
    }
    return json;
}

Pattern patternFromJson(const Json& json, const std::string& place) {
    constexpr double kLastTick = 1e12;
    Reader in(json, place);
    Pattern pattern;
    pattern.pulses = static_cast<int>(in.number("pulses", kUsualPulses, 1, kMostPulses));
    in.array("notes", [&](const Json& item, const std::string& at) {
        Reader note(item, at);
        Note n;
        n.tick = static_cast<std::int64_t>(note.number("tick", 0, 0, kLastTick));
        n.length = static_cast<std::int64_t>(note.number("length", 0, 0, kLastTick));
        n.drum = note.requiredText("drum_id");
        n.velocity = note.number("velocity", 0.7, 0.0, 1.0);
        n.articulation = static_cast<int>(note.number("articulation", 0, 0, 15));
        n.key = static_cast<int>(note.number("key", -1, -1, 127));
        n.extra = note.extra();
        pattern.notes.push_back(std::move(n));
    });
    return inOrder(std::move(pattern));
}

}  // namespace ember
