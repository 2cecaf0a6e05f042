#include "core/report/measure_json.h"

#include "core/base/error.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cstdio>

namespace ember {
namespace {

using Json = nlohmann::ordered_json;

Json write(const Stroke& s) {
    return {{"time_s", s.time},       {"drum", s.drum},           {"mic", s.mic},
            {"velocity", s.velocity}, {"kind", toString(s.kind)}, {"confidence", s.confidence}};
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
                  {"delay_samples", p.delaySamples}};
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
                             {"share", r.share}});
        Json one{{"drum", t.drum}, {"mic", t.mic}, {"strokes", t.strokes}};
        one["fundamental_hz"] = t.fundamental > 0.0 ? Json(t.fundamental) : Json("not sure");
        one["fundamental_confidence"] = t.fundamentalConfidence;
        one["glide_semitones"] = t.glide;
        one["lowest_hz"] = t.lowestHertz;
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

}  // namespace

const std::vector<std::string>& measurementParts() {
    static const std::vector<std::string> parts{"strokes", "bleed", "phase",
                                                "tone",    "time",  "dynamics"};
    return parts;
}

std::string measurementJson(const KitMeasurement& m, const std::set<std::string>& wanted) {
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
    if (has("tone")) out["tone"] = tone(m);
    if (has("time")) out["time"] = time(m);
    if (has("dynamics")) out["dynamics"] = dynamics(m);
    return out.dump(1, ' ', false, Json::error_handler_t::replace);
}

std::string proposalsJson(const std::vector<Proposal>& proposals,
                          const std::set<std::string>& accepted) {
    Json list = Json::array();
    for (const Proposal& p : proposals) {
        Json moves = Json::array(), effects = Json::array();
        for (const ParameterMove& move : p.moves)
            moves.push_back({{"parameter", p.stage + "." + move.parameter}, {"value", move.value}});
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
    }
    return Json{{"proposals", list}}.dump(1, ' ', false, Json::error_handler_t::replace);
}

std::string strokesCsv(const KitStrokes& all) {
    std::string out = "time_s,drum,mic,velocity,kind,confidence\n";
    for (const Stroke& s : all.strokes) {
        char line[256];
        std::snprintf(line, sizeof line, "%.6f,%s,%s,%.3f,%s,%.3f\n", s.time, s.drum.c_str(),
                      s.mic.c_str(), s.velocity, std::string(toString(s.kind)).c_str(),
                      s.confidence);
        out += line;
    }
    return out;
}

}  // namespace ember
