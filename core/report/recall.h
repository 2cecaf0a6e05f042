// The recall sheet: everything that was decided, in real units and with its reasons, so that
// another person can dial it in elsewhere.
#pragma once

#include "core/report/mix_figures.h"
#include "core/session/document.h"

#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace ember {

// A curve to be drawn beside a step.
struct RecallCurve {
    enum class Kind { response, transfer };  // dB over Hz (logarithmic), dB out over dB in
    Kind kind = Kind::response;
    double fromX = 0.0, toX = 1.0, fromY = 0.0, toY = 1.0;
    std::vector<std::pair<double, double>> points;  // x rises
};

struct RecallValue {
    std::string id, label, value;  // "threshold", "Threshold", "−32.0 dB"
    std::string plain;             // as programs read it: "-32.000"
};

struct RecallStep {
    std::string id, type, label;  // "gate", "gate", "Gate"
    bool on = false;
    std::string key;  // what drives its detector, by name; empty: its own signal
    std::vector<RecallValue>
        values;  // everything of its table; of an equaliser's bands what they have
    // What a page tells of it: the same, but a band of an equaliser in a line.
    std::vector<std::pair<std::string, std::string>> told;
    std::vector<std::string> reasons;  // why it is so, as proposals said or a person wrote
    std::optional<RecallCurve> curve;
};

struct RecallRow {
    std::string id, name, what;        // what: "snare top", "bus"
    std::vector<std::string> files;    // names without folders
    std::string feeds;                 // by name
    std::vector<std::string> routing;  // sends, mute, solo, layers: a sentence each
    std::vector<RecallStep> steps;     // in the order of the chain
    std::optional<RowFigures> before, after;
};

struct RecallLine {
    std::string when, what, why;  // when: "2026-11-29 14:05", UTC
};

struct RecallSheet {
    std::string name;
    std::vector<std::pair<std::string, std::string>> facts;  // label, value
    std::vector<RecallRow> rows;                             // in the Board's order
    std::vector<RecallLine> decisions;  // of the logbook: what has a reason, in order of time
    std::vector<RecallLine> notes;      // of one's own; why is empty
};

// What a mix was before anybody worked on it and is now: as recorded, at the faders, and as it is
// played. Rows by id.
struct RecallFigures {
    std::vector<RowFigures> before, after;
};
// Over the whole song, kLongestCompared of it at most. Any thread; throws Error or Cancelled.
RecallFigures recallFigures(const Session& session, AudioStore& store,
                            const std::vector<Stroke>& strokes, const Progress& progress = {});

// Pure. References are left out.
RecallSheet recallSheet(const Document& document, const RecallFigures& figures = {});

// How curves come into a page: drawn in it (SVG), or named "curve-1", "curve-2" ... in the order of
// the sheet, for whoever lays the page out.
enum class RecallPictures { drawn, named };
// One page that needs nothing beside it. Pure.
std::string recallHtml(const RecallSheet& sheet, RecallPictures pictures = RecallPictures::drawn);
std::string recallMarkdown(const RecallSheet& sheet);
// A line a setting: row, name, step, type, on, parameter, label, value, text (RFC 4180, UTF-8).
std::string recallCsv(const RecallSheet& sheet);

}  // namespace ember
