#include "core/report/measure_json.h"

#include "core/base/error.h"
#include "core/base/number.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <array>

namespace ember {
namespace {

using Json = nlohmann::ordered_json;

// What the measurements call by its id gets its kind and its name beside it.
void nameDrums(Json& json, const Session& session) {
    if (json.is_array()) {
        for (Json& item : json) nameDrums(item, session);
        return;
    }
    if (!json.is_object()) return;
    Json out = Json::object();
    for (auto& [name, value] : json.items()) {
        const bool drum = (name == "drum" || name == "struck") && value.is_string();
        if (!drum) {
            nameDrums(value, session);
            out[name] = std::move(value);
            continue;
        }
        const auto id = value.get<std::string>();
        out[name] = drumKindIn(session, id);
        out[name + "_id"] = id;
        out[name + "_name"] = drumName(session, id);
    }
    json = std::move(out);
}

Json write(const Stroke& s) {
    return {{"time_s", s.time},       {"drum", s.drum},           {"mic", s.mic},
            {"velocity", s.velocity}, {"kind", toString(s.kind)}, {"confidence", s.confidence}};
}

Json write(const LedgerLine& l) {
    Json out{{"after", l.label},
             {"row", l.row},
             {"stage", l.stage},
             {"peak_dbfs", l.peakDb},
             {"loudness_lufs", l.loudness},
             {"matched_peak_dbfs", l.matchedPeakDb},
             {"crest_db", l.crestDb},
             {"transient_to_body_db", l.transientToBodyDb},
             {"mono_loss_db", l.monoLossDb}};
    if (l.harmonicsDb) out["harmonics_db"] = *l.harmonicsDb;
    return out;
}

Json write(const Spectrum& s) {
    return {{"hz", s.frequency}, {"db", s.level}};
}

Json strokes(const KitMeasurement& m) {
    Json list = Json::array();
    for (const Stroke& s : m.strokes.strokes) list.push_back(write(s));
    return list;
}

Json bleed(const KitMeasurement& m) {
    Json levels = Json::array(), marks = Json::array(), apart = Json::array();
    for (const BleedLevel& b : m.bleed)
        levels.push_back({{"drum", b.drum},
                          {"mic", b.mic},
                          {"peak_dbfs", b.peakDb},
                          {"relative_db", b.relativeDb},
                          {"strokes", b.strokes}});
    for (const BleedMark& b : m.strokes.bleed)
        marks.push_back(
            {{"time_s", b.time}, {"mic", b.mic}, {"drum", b.drum}, {"peak_dbfs", b.levelDb}});
    for (const Separation& s : m.separation)
        apart.push_back({{"drum", s.drum},
                         {"mic", s.mic},
                         {"key_high_pass_hz", s.highPass},
                         {"key_low_pass_hz", s.lowPass},
                         {"margin_db", s.marginDb}});
    return {{"levels", levels}, {"separation", apart}, {"strokes", marks}};
}

Json phase(const KitMeasurement& m) {
    Json list = Json::array();
    for (const PhasePair& p : m.phase) {
        if (p.mic == p.reference) continue;
        Json bands = Json::array();
        for (const BandSum& b : p.bands)
            bands.push_back({{"hz", b.hertz}, {"now_db", b.nowDb}, {"aligned_db", b.alignedDb}});
        Json pair{{"drum", p.drum},
                  {"mic", p.mic},
                  {"reference", p.reference},
                  {"delay_samples", p.delaySamples},
                  {"delay_sure", p.delaySure}};
        pair["polarity"] = p.polarity == 0 ? Json("not sure") : Json(p.polarity);
        pair["coherence"] = p.coherence;
        pair["octave_hz"] = p.mainHertz;
        pair["strokes"] = p.strokes;
        pair["bands"] = bands;
        list.push_back(std::move(pair));
    }
    return list;
}

Json tone(const KitMeasurement& m) {
    Json list = Json::array();
    for (const DrumTone& t : m.tone) {
        Json rings = Json::array();
        for (const Ring& r : t.rings)
            rings.push_back({{"hz", r.hertz},
                             {"prominence_db", r.prominenceDb},
                             {"t60_s", r.t60},
                             {"share", r.share},
                             {"level_db", r.levelDb}});
        Json one{{"drum", t.drum}, {"mic", t.mic}, {"strokes", t.strokes}};
        one["fundamental_hz"] = t.fundamental > 0.0 ? Json(t.fundamental) : Json("not sure");
        one["fundamental_confidence"] = t.fundamentalConfidence;
        one["glide_semitones"] = t.glide;
        one["lowest_hz"] = t.lowestHertz;
        one["highest_hz"] = t.highestHertz;
        one["body_db"] = t.bodyDb;
        one["mud_db"] = t.mudDb;
        one["attack_db"] = t.attackDb;
        one["air_db"] = t.airDb;
        one["brightness_hz"] = t.brightness;
        one["brightness_percent_per_db"] = t.brightnessSlope;
        one["rings"] = rings;
        one["spectrum"] = write(t.median);
        one["spread"] = write(t.spread);
        list.push_back(std::move(one));
    }
    return list;
}

Json sympathetic(const KitMeasurement& m) {
    Json list = Json::array();
    for (const Sympathy& s : m.sympathy) {
        Json mics = Json::array();
        for (const SympathyInMic& in : sympathyByMic(s, m.bleed))
            mics.push_back({{"mic", in.mic}, {"peak_db", in.peakDb}});
        list.push_back({{"drum", s.drum},
                        {"mic", s.mic},
                        {"struck", s.struck},
                        {"what", s.wires ? "wires" : "head"},
                        {"hz", s.hertz},
                        {"relative_db", s.relativeDb},
                        {"strokes", s.strokes},
                        {"in_mics", std::move(mics)}});
    }
    return list;
}

Json time(const KitMeasurement& m) {
    Json list = Json::array();
    for (const DrumTone& t : m.tone) {
        Json decays = Json::array();
        for (const BandDecay& d : t.decays) {
            if (d.t60 > 0.0) decays.push_back({{"hz", d.hertz}, {"t60_s", d.t60}});
        }
        list.push_back({{"drum", t.drum},
                        {"mic", t.mic},
                        {"rise_ms", t.riseMs},
                        {"transient_ms", t.transientMs},
                        {"t60_s", t.decayT60},
                        {"decay", decays},
                        {"shortest_gap_s", t.shortestGap}});
    }
    return list;
}

Json grid(const KitMeasurement& m) {
    Json drums = Json::array(), drift = Json::array();
    for (const DrumTiming& t : m.timing.drums)
        drums.push_back({{"drum", t.drum},
                         {"strokes", t.strokes},
                         {"offset_ms", t.offsetMs},
                         {"spread_ms", t.spreadMs}});
    for (const DriftPoint& d : m.timing.drift)
        drift.push_back({{"time_s", d.time}, {"offset_ms", d.offsetMs}});
    return {{"bpm", m.timing.bpm},
            {"confidence", m.timing.confidence},
            {"alternatives_bpm", m.timing.alternatives},
            {"first_bar_s", m.timing.firstBar},
            {"bar_confidence", m.timing.barConfidence},
            {"drums", drums},
            {"drift", drift}};
}

Json dynamics(const KitMeasurement& m) {
    Json list = Json::array();
    for (const DrumTone& t : m.tone)
        list.push_back({{"drum", t.drum},
                        {"mic", t.mic},
                        {"crest_db", t.crestDb},
                        {"transient_to_body_db", t.transientToBodyDb},
                        {"spread_db", t.levelSpreadDb}});
    return list;
}

Json image(const KitMeasurement& m) {
    Json list = Json::array();
    for (const DrumImage& i : m.image)
        list.push_back({{"drum", i.drum},
                        {"pair", i.pair},
                        {"pan", i.pan},
                        {"spread", i.spread},
                        {"strokes", i.strokes}});
    return list;
}

Json levels(const std::vector<SignalLevels>& all) {
    Json list = Json::array();
    for (const SignalLevels& l : all) {
        Json one{{"row", l.row},
                 {"loudness_lufs", l.integrated},
                 {"short_term_lufs", l.maxShortTerm},
                 {"true_peak_dbtp", l.truePeak},
                 {"crest_db", l.crestDb}};
        if (!l.spectrum.frequency.empty()) {
            one["spectrum"] = write(l.spectrum);
            one["rumble_db"] = l.rumbleDb;
        }
        if (!l.width.empty()) {
            Json width = Json::array();
            for (const BandWidth& w : l.width)
                width.push_back({{"hz", w.hertz}, {"side_to_mid_db", w.sideToMidDb}});
            one["correlation"] = l.correlation;
            one["mono_loss_db"] = l.monoLossDb;
            one["width"] = width;
        }
        list.push_back(std::move(one));
    }
    return list;
}

}  // namespace

const std::vector<std::string>& measurementParts() {
    static const std::vector<std::string> parts{"strokes", "bleed", "phase",
                                                "tone",    "time",  "dynamics"};
    return parts;
}

std::string measurementJson(const Session& session, const KitMeasurement& m,
                            const std::set<std::string>& wanted,
                            const std::vector<SignalLevels>& buses) {
    for (const std::string& part : wanted) {
        const auto& known = measurementParts();
        if (std::find(known.begin(), known.end(), part) == known.end())
            throw Error("“" + part +
                        "” is not measured; strokes, bleed, phase, tone, time and dynamics are.");
    }
    const auto has = [&](const char* part) { return wanted.empty() || wanted.contains(part); };
    Json out = Json::object();
    if (has("strokes")) out["strokes"] = strokes(m);
    if (has("bleed")) out["bleed"] = bleed(m);
    if (has("phase")) out["phase"] = phase(m);
    if (has("tone")) {
        out["tone"] = tone(m);
        out["sympathetic"] = sympathetic(m);
    }
    if (has("time")) {
        out["time"] = time(m);
        out["grid"] = grid(m);
    }
    if (has("dynamics")) {
        out["dynamics"] = dynamics(m);
        out["levels"] = levels(m.levels);
        if (!buses.empty()) out["buses"] = levels(buses);
        out["image"] = image(m);
    }
    nameDrums(out, session);
    return out.dump(1, ' ', false, Json::error_handler_t::replace);
}

std::string proposalsJson(const std::vector<Proposal>& proposals,
                          const std::set<std::string>& accepted) {
    Json list = Json::array();
    for (const Proposal& p : proposals) {
        Json moves = Json::array(), effects = Json::array();
        for (const ParameterMove& move : p.moves)
            moves.push_back(
                {{"parameter", (p.readyBus.empty() ? p.stage : "seat") + "." + move.parameter},
                 {"value", move.value}});
        for (const auto& [drum, db] : p.turned)
            moves.push_back({{"parameter", p.stage + "." + drum}, {"value", db}});
        for (const Effect& e : p.effects) {
            Json effect{{"what", e.what}, {"unit", e.unit}};
            if (e.before) effect["before"] = *e.before;
            if (e.predicted) effect["predicted"] = *e.predicted;
            if (e.measured) effect["measured"] = *e.measured;
            effects.push_back(std::move(effect));
        }
        list.push_back({{"id", p.id},
                        {"step", p.step},
                        {"row", p.row},
                        {"title", p.title},
                        {"reason", p.reason},
                        {"school", p.school},
                        {"confidence", p.confidence},
                        {"accepted", accepted.contains(p.id)},
                        {"moves", moves},
                        {"effects", effects},
                        {"evidence_s", p.evidence}});
        if (!p.feeds.empty()) list.back()["feeds"] = p.feeds;
        if (!p.readyBus.empty()) list.back()["ready_bus"] = p.readyBus;
    }
    return Json{{"proposals", list}}.dump(1, ' ', false, Json::error_handler_t::replace);
}

std::string ledgerJson(const Ledger& ledger) {
    Json lines = Json::array();
    for (const LedgerLine& line : ledger.lines) lines.push_back(write(line));
    Json out{{"lines", lines}};
    out["takes_most"] = ledger.worst < 0
                            ? Json(nullptr)
                            : Json(ledger.lines[static_cast<std::size_t>(ledger.worst)].label);
    out["colour"] = {{"note_hz", ledger.note > 0.0 ? Json(ledger.note) : Json(nullptr)},
                     {"flat_tops", ledger.flatTops},
                     {"sentence", colourText(ledger)}};
    return out.dump(1, ' ', false, Json::error_handler_t::replace);
}

std::string orderJson(const OrderTest& test) {
    return Json{{"first", test.first},
                {"second", test.second},
                {"now", write(test.now)},
                {"swapped", write(test.swapped)},
                {"match_gain_db", test.matchGainDb},
                {"difference_db", test.differenceDb},
                {"sentences", test.sentences}}
        .dump(1, ' ', false, Json::error_handler_t::replace);
}

std::string strokeViewJson(const StrokeView& view, double time) {
    return Json{{"stroke_s", time},
                {"starts_ms", -1000.0 * StrokeView::kLead},
                {"sample_rate", view.sampleRate},
                {"before", view.before},
                {"after", view.now}}
        .dump(1, ' ', false, Json::error_handler_t::replace);
}

std::string reviewJson(const std::vector<ReviewItem>& items) {
    Json list = Json::array();
    constexpr std::array kKinds{"active", "leftover", "muted"};  // as in ReviewItem::Kind
    for (const ReviewItem& item : items)
        list.push_back({{"kind", kKinds[static_cast<std::size_t>(item.kind)]},
                        {"row", item.row},
                        {"stage", item.stage},
                        {"sentence", item.sentence}});
    return list.dump(1, ' ', false, Json::error_handler_t::replace);
}

namespace {

// A field of a CSV file (RFC 4180).
std::string quoted(const std::string& text) {
    if (text.find_first_of(",\"\n") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + "\"";
}

}  // namespace

std::string strokesCsv(const Session& session, const KitStrokes& all) {
    std::string out = "time_s,drum,drum_id,drum_name,mic,velocity,kind,confidence\n";
    for (const Stroke& s : all.strokes) {
        out += plainText(s.time, 6) + "," + drumKindIn(session, s.drum) + "," + s.drum + "," +
               quoted(drumName(session, s.drum)) + "," + s.mic + "," + plainText(s.velocity, 3) +
               "," + std::string(toString(s.kind)) + "," + plainText(s.confidence, 3) + "\n";
    }
    return out;
}

}  // namespace ember
