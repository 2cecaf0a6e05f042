// Edits of curves: which parameters move along the song.
#pragma once

#include "core/session/session.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// What a curve moves: a parameter of a stage of a row, or the level or pan of one of its sends.
struct CurvePlace {
    std::string row;
    std::string stage;  // id; empty: a send
    std::string send;   // the bus it goes to
    std::string parameter;
    bool operator==(const CurvePlace&) const = default;
};

// "seat.level", "eq.b3.gain", "send.plate.level" of a row. Throws Error naming what there is, and
// for what no curve may move.
CurvePlace curvePlaceFrom(const Session& session, std::string_view row, std::string_view text);
// The same in one word, without the row.
std::string toText(const CurvePlace& place);
// "Gate · Threshold", "Send to Plate · Level".
std::string curveTitle(const Session& session, const CurvePlace& place);
// Throws Error for unknown places, and for what no curve may move.
const Parameter& curveParameter(const Session& session, const CurvePlace& place);
// Everything of a row that a curve may move, in the order of its chain, its sends behind it.
std::vector<CurvePlace> curvePlaces(const Session& session, std::string_view row);
// What is moved by one now.
std::vector<CurvePlace> drawnCurves(const Row& row);
// Every how many quarters the song's beat drives a stage, from each bar line on (infinity: at bar
// lines alone); 0 where it does not.
double beatOf(const Stage& stage);
// Whether anything in a row goes by the song's time: curves, and what the beat drives.
bool goesByTime(const Row& row);
// One sentence about the first curve of a row that cannot be (two of one parameter, what no curve
// may move); empty when sound.
std::string curveProblem(const Session& session, const Row& row);
// "Level 1:1.00 −12.0 dB, 3:2.50 0.0 dB (hold), anew every 2 bars": the first of its points, bar
// and beat as people count them.
std::string curveText(const Session& session, const CurvePlace& place);
// "Seat · Level follows a curve of 2 points": what became of a curve, either of which may be null;
// `session` is one that holds it.
std::string curveChange(const Session& session, const CurvePlace& place, const Curve* was,
                        const Curve* is);
// Null when there is none.
const Curve* findCurve(const Session& session, const CurvePlace& place);
Curve* findCurve(Session& session, const CurvePlace& place);
// ", anew every 2 bars"; empty for a curve that does not repeat.
std::string repeatText(const Curve& curve);
// "3:2.50": bar and beat of a quarter, from 1.
std::string placeText(const TimeMap& time, double quarter);
// What the place is set to where no curve moves it.
double valueUnder(const Session& session, const CurvePlace& place);

// The session with a curve in place of the one there may be; its points come in order, those of a
// stage that is off switch it on, and it counts as decided. What moves together with it
// (session/movement.h) follows. Throws Error for what cannot be.
Session withCurve(Session session, const CurvePlace& place, Curve curve);
Session withoutCurve(Session session, const CurvePlace& place);

// Strokes or notes that open something, and how far and how long.
struct StrokeOpening {
    std::string drum;                 // drum id
    std::optional<StrokeKind> kind;   // none: every kind
    int every = 1, first = 1;         // of those, every so many, beginning with the first-th
    double open = 0.0, closed = 0.0;  // values
    double seconds = 0.25;            // it stays open so long, or until ...
    double quarters = 0.0;            // ... as many quarters later where that is more than 0
    double aheadMs = 2.0;             // it opens so long before the stroke
};
// A curve that stands open at those of `struck`, which are in order of time, and closed between
// them. Throws Error where no stroke is among them, and for values out of range.
Curve curveByStrokes(const Session& session, const CurvePlace& place,
                     const std::vector<Stroke>& struck, const StrokeOpening& opening);

}  // namespace ember
