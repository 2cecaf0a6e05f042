#include "core/report/recall.h"

#include "core/base/number.h"
#include "core/dsp/compressor.h"
#include "core/dsp/equaliser.h"
#include "core/session/bleed.h"
#include "core/session/control.h"
#include "core/session/curves.h"
#include "core/session/layers.h"

#include <algorithm>
#include <cmath>
#include <ctime>

namespace ember {
namespace {

std::string nameOf(const Session& session, const std::string& id) {
    const Row* row = findRow(session, id);
    return row != nullptr ? row->name : id;
}

std::string whenOf(std::int64_t time) {
    const std::time_t seconds = time;
    std::tm parts{};
    gmtime_r(&seconds, &parts);
    char text[32];
    std::strftime(text, sizeof text, "%Y-%m-%d %H:%M", &parts);
    return text;
}

std::string wordOf(const Stage& stage, const std::string& word) {
    const auto at = stage.words.find(word);
    return at == stage.words.end() ? std::string() : at->second;
}

std::optional<RecallCurve> curveOf(const Stage& stage, double rate) {
    constexpr std::size_t kPoints = 160;
    RecallCurve curve;
    if (stage.type == "eq") {
        curve.fromX = 20.0;
        curve.toX = 20000.0;
        std::vector<double> hertz(kPoints);
        for (std::size_t i = 0; i < kPoints; ++i)
            hertz[i] = curve.fromX *
                       std::pow(curve.toX / curve.fromX, static_cast<double>(i) / (kPoints - 1.0));
        const std::vector<double> level = eqResponseDb(stage.values, hertz, rate);
        double most = 6.0;
        for (std::size_t i = 0; i < hertz.size(); ++i) {
            const double db = std::max(-24.0, level[i]);  // pass filters fall for ever
            most = std::max(most, std::abs(db));
            curve.points.emplace_back(hertz[i], db);
        }
        curve.toY = 6.0 * std::ceil(most / 6.0);
        curve.fromY = -curve.toY;
        return curve;
    }
    if (stage.type == "compressor") {
        curve.kind = RecallCurve::Kind::transfer;
        curve.fromX = curve.fromY = -60.0;
        curve.toX = curve.toY = 0.0;
        const std::vector<double>& v = stage.values;
        for (double in = curve.fromX; in <= curve.toX; in += 0.5)
            curve.points.emplace_back(
                in, in + compressorCurve(in, v[Compressor::threshold], v[Compressor::ratio],
                                         v[Compressor::knee], v[Compressor::range]));
        return curve;
    }
    return {};
}

RecallValue valueOf(const Parameter& p, double value) {
    return {p.id, p.label, formatValue(p, value), plainText(value, 3)};
}

// Whether a band's shape has such a field, and the band moves where it is about that.
bool bandHas(const EqBand& band, bool moves, EqField field) {
    const bool pass = band.shape == EqShape::highPass || band.shape == EqShape::lowPass;
    switch (field) {
        case EqField::gain:
            return !pass && band.shape != EqShape::notch;
        case EqField::slope:
            return pass;
        case EqField::range:
        case EqField::threshold:
        case EqField::attack:
        case EqField::release:
            return moves;
        default:
            return true;
    }
}

// "bell at 330 Hz, −6.0 dB, Q 1.20".
std::string bandText(const Stage& stage, const ParameterTable table, int band) {
    const auto told = [&](EqField field) {
        const auto i = static_cast<std::size_t>(eqIndex(band, field));
        return formatValue(table[i], stage.values[i]);
    };
    const EqBand is = eqBand(stage.values, band);
    const bool moves = eqDynamics(stage.values, band).rangeDb != 0.0;
    std::string text = told(EqField::shape);
    if (bandHas(is, moves, EqField::slope)) text += " " + told(EqField::slope) + " dB/oct";
    text += " at " + told(EqField::frequency);
    if (bandHas(is, moves, EqField::gain)) text += ", " + told(EqField::gain);
    text += ", Q " + told(EqField::q);
    if (is.part != EqPart::both) text += ", " + told(EqField::part);
    if (moves)
        text += ", moves by " + told(EqField::range) + " above " + told(EqField::threshold) +
                " in " + told(EqField::attack) + " and " + told(EqField::release);
    return is.on ? text : text + ", off";
}

void addBands(const Stage& stage, const ParameterTable table, RecallStep& step) {
    for (int band = 0; band < kEqBands; ++band) {
        if (!eqBandInUse(stage.values, band)) continue;
        const std::string name = eqBandName(stage, band);
        const bool moves = eqDynamics(stage.values, band).rangeDb != 0.0;
        for (int field = 0; field < kEqFields; ++field) {
            if (!bandHas(eqBand(stage.values, band), moves, static_cast<EqField>(field))) continue;
            const auto i = static_cast<std::size_t>(eqIndex(band, static_cast<EqField>(field)));
            RecallValue value = valueOf(table[i], stage.values[i]);
            const auto word = value.label.find(' ', std::string_view("Band ").size());
            value.label = name + value.label.substr(word);
            step.values.push_back(std::move(value));
        }
        step.told.emplace_back(name, bandText(stage, table, band));
        if (const std::string why = wordOf(stage, eqBandId(band) + ".why"); !why.empty())
            step.reasons.push_back(std::string(name).append(": ").append(why));
    }
}

RecallStep stepOf(const Session& session, const Stage& stage, const std::vector<LogEntry>& log,
                  const std::string& row) {
    const ProcessorType& type = processorType(stage.type);
    RecallStep step{stage.id, stage.type, type.label, stage.on, {}, {}, {}, {}, {}};
    if (stage.id != stage.type) step.label += " (" + stage.id + ")";
    if (!stage.key.empty()) step.key = nameOf(session, stage.key);
    const bool eq = stage.type == "eq";
    if (eq) addBands(stage, type.table, step);
    const std::size_t bands = step.values.size();
    for (std::size_t p = eq ? std::size_t{kEqAmount} : 0; p < type.table.size(); ++p)
        step.values.push_back(valueOf(type.table[p], stage.values[p]));
    for (const auto& [drum, db] : stage.drums)
        step.values.push_back({drum, drum == kNoDrum ? "The rest" : drumName(session, drum),
                               bleedText(db), plainText(db, 3)});
    for (std::size_t v = bands; v < step.values.size(); ++v)
        step.told.emplace_back(step.values[v].label, step.values[v].value);
    for (const Curve& c : stage.curves) {
        const CurvePlace place{row, stage.id, {}, c.parameter};
        step.told.emplace_back(curveTitle(session, place) + " along the song",
                               curveText(session, place));
    }
    for (const LogEntry& entry : log) {
        if (entry.reason.empty() || entry.what.row != row || entry.what.stage != stage.id) continue;
        if (std::find(step.reasons.begin(), step.reasons.end(), entry.reason) == step.reasons.end())
            step.reasons.push_back(entry.reason);
    }
    if (stage.on) step.curve = curveOf(stage, session.sampleRate);
    return step;
}

std::string layerText(const Layer& layer) {
    std::string text = "layer " + layer.id + ", " + std::to_string(layer.sounds.size()) +
                       (layer.sounds.size() == 1 ? " sound" : " sounds");
    for (std::size_t p = 0; p < layer.values.size(); ++p) {
        const Parameter& parameter = layerTable()[p];
        if (layer.values[p] == parameter.standard) continue;
        text += ", " + parameter.label + " " + formatValue(parameter, layer.values[p]);
    }
    return text;
}

// A control of one's own: where it stands, and between what it moves what.
std::string controlText(const Row& row, const RowControl& control) {
    std::string text;
    for (const RowControl::Moved& moved : control.moves) {
        const Stage& stage = *findStage(row, moved.stage);
        const ControlTarget& t = stage.controls[moved.target];
        const ParameterTable table = processorType(stage.type).table;
        const auto p = static_cast<std::size_t>(parameterIndex(table, t.parameter));
        text += (text.empty() ? "" : "; ") + processorType(stage.type).label + " " +
                parameterLabel(stage, p) + " from " + formatValue(table[p], t.from) + " to " +
                formatValue(table[p], t.to);
    }
    return "control “" + control.name + "” at " + numberText(control.position, 0) + " %: " + text;
}

RecallRow rowOf(const Session& session, const Row& row, const std::vector<LogEntry>& log) {
    RecallRow out;
    out.id = row.id;
    out.name = row.name;
    out.what =
        hasSources(row.kind) ? std::string(roleLabel(row.role)) : std::string(toString(row.kind));
    eachRecording(row, [&](const Source& source) {
        std::string name = std::filesystem::path(source.file).filename().string();
        if (out.files.empty() || out.files.back() != name) out.files.push_back(std::move(name));
    });
    if (!row.parent.empty()) out.feeds = nameOf(session, row.parent);
    for (const Send& send : row.sends)
        out.routing.push_back("sent to " + nameOf(session, send.to) + " at " +
                              (send.levelDb <= kSendLowest ? std::string("silence")
                                                           : changeText(send.levelDb, 1) + " dB") +
                              (send.pan != 0.0 ? ", pan " + changeText(send.pan, 0) + " %" : "") +
                              (send.before ? ", before the fader" : ", after the fader") +
                              (send.on ? "" : ", off"));
    for (const CurvePlace& place : drawnCurves(row)) {
        if (place.stage.empty())
            out.routing.push_back(curveTitle(session, place) +
                                  " along the song: " + curveText(session, place));
    }
    for (const Layer& layer : row.layers) out.routing.push_back(layerText(layer));
    for (const RowControl& control : controlsOf(row))
        out.routing.push_back(controlText(row, control));
    if (row.mute) out.routing.emplace_back("muted");
    if (row.solo) out.routing.emplace_back("soloed");
    for (const Stage& stage : row.chain) out.steps.push_back(stepOf(session, stage, log, row.id));
    return out;
}

}  // namespace

RecallFigures recallFigures(const Session& session, AudioStore& store,
                            const std::vector<Stroke>& strokes, const Progress& progress) {
    // As recorded, with nothing but what belongs to the row: where it is, and its fader.
    Session raw = session;
    for (Row& row : raw.rows) {
        for (Stage& stage : row.chain) {
            if (stage.type != "align" && stage.type != "seat") stage.on = false;
        }
    }
    return {mixFigures(raw, store, strokes, 0.0, kLongestCompared, within(progress, 0.0, 0.5)),
            mixFigures(session, store, strokes, 0.0, kLongestCompared, within(progress, 0.5, 1.0))};
}

RecallSheet recallSheet(const Document& document, const RecallFigures& figures) {
    const Session& session = document.session();
    RecallSheet sheet;
    sheet.name = session.name;
    sheet.facts = {{"Sample rate", std::to_string(session.sampleRate) + " Hz"},
                   {"Tempo", tempoText(session.time)},
                   {"Metre", metreText(session.time)},
                   {"Bar 1 begins at", numberText(session.time.start, 3) + " s"}};
    if (session.style != Style::any) sheet.facts.emplace_back("Style", styleLabel(session.style));
    if (const RowFigures* main = figuresOf(figures.after, mainRow(session))) {
        sheet.facts.emplace_back("Loudness", numberText(main->levels.integrated, 1) + " LUFS");
        sheet.facts.emplace_back("True peak", numberText(main->levels.truePeak, 1) + " dBTP");
    }
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::reference) continue;
        RecallRow out = rowOf(session, row, document.log());
        if (const RowFigures* f = figuresOf(figures.before, row.id)) out.before = *f;
        if (const RowFigures* f = figuresOf(figures.after, row.id)) out.after = *f;
        sheet.rows.push_back(std::move(out));
    }
    for (const LogEntry& entry : document.log()) {
        if (entry.note)
            sheet.notes.push_back({whenOf(entry.time), entry.what.text, {}});
        else if (!entry.reason.empty())
            sheet.decisions.push_back({whenOf(entry.time), entry.what.text, entry.reason});
    }
    return sheet;
}

}  // namespace ember
