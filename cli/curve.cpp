#include "cli/curve.h"

#include "cli/edit.h"
#include "cli/set.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/measure/strokes/played.h"
#include "core/session/curves.h"
#include "core/session/file.h"
#include "core/session/movement.h"

#include <charconv>
#include <sstream>

namespace ember::cli {
namespace {

// "5", "5:2.5": bar and beat as people count them, from 1; quarters from bar 1.
double quarterOf(const std::string& text, const TimeMap& time) {
    const auto colon = text.find(':');
    const auto number = [&](const std::string& part, double& into) {
        const char* end = part.data() + part.size();
        const auto [at, fault] = std::from_chars(part.data(), end, into);
        return fault == std::errc{} && at == end;
    };
    double bar = 0.0, beat = 1.0;
    const bool read = number(text.substr(0, colon), bar) && bar == std::floor(bar) &&
                      (colon == std::string::npos || number(text.substr(colon + 1), beat));
    if (!read || beat < 1.0 || std::abs(bar) > 1e5)
        throw Error("“" + text +
                    "” is no place of the song: write BAR or BAR:BEAT, for example "
                    "5:2.5.");
    return quarterAt(time, secondsAt(time, BarPlace{static_cast<int>(bar) - 1, beat - 1.0}));
}

// "5:1 -6 hold".
CurvePoint pointFrom(const std::string& text, const Parameter& parameter, const Session& session) {
    std::istringstream in(text);
    std::vector<std::string> words;
    for (std::string word; in >> word;) words.push_back(word);
    if (words.size() < 2)
        throw Error("“" + text +
                    "” is no point: write PLACE VALUE [hold, line or ease], for "
                    "example \"5:1 -6 hold\".");
    CurvePoint point;
    point.quarter = quarterOf(words.front(), session.time);
    if (words.size() > 2 &&
        (words.back() == "hold" || words.back() == "line" || words.back() == "ease")) {
        point.shape = curveShapeFrom(words.back());
        words.pop_back();
    }
    std::string value;
    for (std::size_t i = 1; i < words.size(); ++i) value += (i > 1 ? " " : "") + words[i];
    point.value = parseValue(parameter, value, tempoHere(session));
    return point;
}

}  // namespace

CurveCommand::CurveCommand(CLI::App& app) {
    auto* curve = app.add_subcommand("curve", "parameters that move along the song");
    curve->require_subcommand(1);
    const auto with = [&](const char* name, const char* what, bool place = true) {
        auto* command = curve->add_subcommand(name, what);
        command->add_option("session", session_)->required();
        if (place) {
            command->add_option("element", row_)->required();
            command
                ->add_option("parameter", what_, "PROCESSOR.PARAMETER, or send.BUS.level or .pan")
                ->required();
        }
        return command;
    };
    list_ = with("list", "what moves along the song", false);
    draw_ = with("draw", "a curve through points, in place of the one there may be");
    draw_
        ->add_option("points", points_,
                     "each \"BAR:BEAT VALUE [hold, line or ease]\": how it goes on to the next")
        ->required();
    draw_->add_option("--bars", bars_, "begins anew every so many bars")
        ->check(CLI::Range(0, kMostCurveBars));
    strokes_ = with("strokes", "open at strokes of a drum, closed between them");
    strokes_->add_option("--drum", drum_)->required();
    strokes_->add_option("--open", open_, "value while it is open")->required();
    strokes_->add_option("--closed", closed_, "value between")->required();
    strokes_->add_option("--kind", kind_)
        ->check(CLI::IsMember({"accent", "normal", "ghost", "flam"}));
    strokes_->add_option("--every", every_, "of them, every so many")->check(CLI::Range(1, 1000));
    strokes_->add_option("--first", first_, "beginning with this one")->check(CLI::Range(1, 1000));
    strokes_->add_option("--length", length_, "how long it stays open: a note value, or ms");
    strokes_->add_option("--ahead", ahead_, "ms by which it opens before the stroke")
        ->check(CLI::Range(0.0, 100.0));
    wave_ = with("wave", "a slow modulator: a shape that begins anew every so many bars");
    wave_->add_option("--form", form_, "sine, triangle, rise, fall or square");
    wave_->add_option("--bars", waveBars_)->check(CLI::Range(1, kMostCurveBars));
    wave_->add_option("--cycles", cycles_, "in that time")->check(CLI::Range(1, kMostCycles));
    together_ = with("together", "follow a movement that others follow too, or make it one");
    together_->add_option("movement", movement_, "its name")->required();
    for (CLI::App* command : {wave_, together_}) {
        command->add_option("--lowest", lowest_, "value at its bottom")->required();
        command->add_option("--highest", highest_, "value at its top")->required();
    }
    alone_ = with("alone", "keep the curve, and move by itself");
    on_ = with("on", "follow the curve");
    off_ = with("off", "pass it by: the value that is set holds");
    clear_ = with("clear", "take it away");
}

template <typename Edit>
void CurveCommand::change(const Output& out, Edit edit) {
    changeSession(out, session_, [&](Session s) {
        const CurvePlace place = curvePlaceFrom(s, rowByIdOrName(s, row_).id, what_);
        return edit(std::move(s), place);
    });
}

void CurveCommand::list(const Output& out) {
    const Session session = loadDocument(session_).session();
    Json all = Json::array();
    for (const Row& row : session.rows) {
        for (const CurvePlace& place : drawnCurves(row)) {
            const Curve& c = *findCurve(session, place);
            const Parameter& parameter = curveParameter(session, place);
            Json points = Json::array();
            std::string text;
            for (const CurvePoint& p : c.points) {
                points.push_back({{"quarter", p.quarter},
                                  {"place", placeText(session.time, p.quarter)},
                                  {"value", p.value},
                                  {"shape", toString(p.shape)}});
                text += "\n  " + placeText(session.time, p.quarter) + "  " +
                        formatValue(parameter, p.value) + "  " + std::string(toString(p.shape));
            }
            all.push_back({{"element", row.id},
                           {"parameter", toText(place)},
                           {"on", c.on},
                           {"bars", c.bars},
                           {"together", c.together ? Json{{"movement", c.together->movement},
                                                          {"lowest", c.together->lowest},
                                                          {"highest", c.together->highest}}
                                                   : Json()},
                           {"points", std::move(points)}});
            out.say(row.name + " · " + curveTitle(session, place) + repeatText(c) +
                    togetherText(c, parameter) + (c.on ? "" : ", off") + text);
        }
    }
    out.machine({{"curves", all}});
    if (all.empty()) out.say("Nothing moves along the song.");
}

void CurveCommand::run(bool json) {
    const Output out{json};
    if (*list_) list(out);
    if (*draw_)
        change(out, [&](const Session& s, const CurvePlace& place) {
            Curve curve{place.parameter, true, bars_};
            for (const std::string& text : points_)
                curve.points.push_back(pointFrom(text, curveParameter(s, place), s));
            return withCurve(s, place, std::move(curve));
        });
    if (*strokes_)
        change(out, [&](Session s, const CurvePlace& place) {
            if (s.strokes.get().empty() && s.pattern.get().notes.empty())
                s = withStrokesHeard(std::move(s), session_);
            const Parameter& parameter = curveParameter(s, place);
            StrokeOpening o;
            o.drum = requireDrum(s, drum_);
            if (!kind_.empty()) o.kind = strokeKindFrom(kind_);
            o.every = every_;
            o.first = first_;
            o.open = parseValue(parameter, open_);
            o.closed = parseValue(parameter, closed_);
            o.aheadMs = ahead_;
            if (const double ms = noteMilliseconds(length_, 60.0); ms > 0.0) {
                o.quarters = ms / 1000.0;  // a quarter lasts a second at 60
            } else {
                static const Parameter length{"length", "Length", Unit::milliseconds, 1.0,
                                              60000.0,  100.0,    Scale::logarithmic, "",
                                              {}};
                o.seconds = 1e-3 * parseValue(length, length_);
            }
            return withCurve(s, place, curveByStrokes(s, place, playedStrokes(s), o));
        });
    if (*wave_)
        change(out, [&](const Session& s, const CurvePlace& place) {
            const Parameter& parameter = curveParameter(s, place);
            Wave wave{waveFormFrom(form_), waveBars_, cycles_, parseValue(parameter, lowest_),
                      parseValue(parameter, highest_)};
            return withCurve(s, place, waveCurve(s, place, wave));
        });
    if (*together_)
        change(out, [&](const Session& s, const CurvePlace& place) {
            const Parameter& parameter = curveParameter(s, place);
            return withMovement(s, place, movement_, parseValue(parameter, lowest_),
                                parseValue(parameter, highest_));
        });
    if (*alone_)
        change(out, [&](const Session& s, const CurvePlace& place) {
            return withoutMovement(s, place);
        });
    if (*on_ || *off_)
        change(out, [&](const Session& s, const CurvePlace& place) {
            const Curve* known = findCurve(s, place);
            if (known == nullptr) throw Error("“" + what_ + "” follows no curve; draw one first.");
            Curve curve = *known;
            curve.on = static_cast<bool>(*on_);
            return withCurve(s, place, std::move(curve));
        });
    if (*clear_)
        change(out,
               [&](const Session& s, const CurvePlace& place) { return withoutCurve(s, place); });
}

}  // namespace ember::cli
