#include "core/session/diff.h"

#include "core/base/number.h"
#include "core/dsp/equaliser.h"
#include "core/session/bleed.h"
#include "core/session/curves.h"
#include "core/session/diff_words.h"
#include "core/session/layers.h"
#include "core/session/recipe.h"
#include "core/session/routing.h"
#include "core/session/snapshot.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace ember {
namespace {

std::string stageLabel(const Stage& stage) {
    const std::string& label = processorType(stage.type).label;
    return stage.id == stage.type ? label : label + " (" + stage.id + ")";
}

std::string sendLevelText(const Send& send) {
    return send.levelDb <= kSendLowest ? "silent" : changeText(send.levelDb, 1) + " dB";
}

// "Threshold −32.0 dB → −28.5 dB".
std::string fromTo(const std::string& what, const std::string& from, const std::string& to) {
    return what + " " + from + " → " + to;
}

std::string sendText(const std::string& bus, const std::string& what) {
    return "send to " + bus + " " + what;
}

class Comparer {
  public:
    Comparer(const Session& before, const Session& after) : before_(before), after_(after) {}

    SessionDiff run() {
        if (before_.name != after_.name)
            say("Session", "name “" + before_.name + "” → “" + after_.name + "”");
        if (before_.sampleRate != after_.sampleRate) {
            say("Session", "sample rate " + std::to_string(before_.sampleRate) + " → " +
                               std::to_string(after_.sampleRate) + " Hz");
            result_.structural = true;
        }
        for (const std::string& what : timeWords(before_.time, after_.time)) say("Session", what);
        if (before_.style != after_.style)
            say("Session", "style: " + std::string(styleLabel(after_.style)));
        for (const auto& [step, names] : waysByStep()) {
            const std::size_t way = wayOf(after_.ways, step);
            if (wayOf(before_.ways, step) != way)
                say("Session", "way of working in " + step + ": " + names[way]);
        }
        if (before_.loop != after_.loop) {
            say("Session",
                after_.loop.on ? (before_.loop.on ? "loop moved" : "loop set") : "loop off");
        }
        if (!(before_.strokes == after_.strokes)) {
            const StrokesWords words = strokesWords(before_, after_);
            say(words.place, words.what);
            // What strokes drive plays another part now, and is drawn anew.
            strikeAnew();
        }
        if (!(before_.pattern == after_.pattern)) sayPattern();
        if (before_.keys != after_.keys) say("Session", "MIDI keys changed");
        // Notes and curves go with the beat.
        if (before_.time != after_.time) {
            if (!after_.pattern.get().notes.empty()) strikeAnew();
            for (const Row& row : after_.rows) {
                if (goesByTime(row)) structural(row.id);
            }
        }
        if (before_.declined.size() < after_.declined.size()) say("Session", "proposal declined");
        if (before_.targets != after_.targets) say("Session", "level targets changed");
        for (const NoteTarget& n : after_.notes) {
            if (noteTarget(before_, n.drum) == n.hertz) continue;
            say("Session", "note wanted of the " + drumName(after_, n.drum) + ": " +
                               numberText(n.hertz, 1) + " Hz");
        }
        for (const NoteTarget& n : before_.notes) {
            if (noteTarget(after_, n.drum) <= 0.0)
                say("Session", "no note wanted of the " + drumName(after_, n.drum) + " any more");
        }
        if (before_.spots != after_.spots) {
            const bool more = after_.spots.size() > before_.spots.size();
            say("Session", more ? "spot “" + after_.spots.back().name + "” noted"
                                : std::string("spots changed"));
        }
        for (const std::string& what : wishWords(before_, after_)) say("Session", what);
        saySnapshots();
        for (const Row& row : before_.rows) {
            if (findRow(after_, row.id) == nullptr) {
                say(row, "removed");
                structural(row.id);
            }
        }
        for (const Row& row : after_.rows) {
            if (const Row* old = findRow(before_, row.id)) {
                compareRow(*old, row);
            } else {
                say(row, row.printed ? "printed of " + nameOf(row.printed->row) : "added");
                structural(row.id);
            }
        }
        comparePrints();
        if (!result_.structural &&
            !std::equal(before_.rows.begin(), before_.rows.end(), after_.rows.begin(),
                        after_.rows.end(),
                        [](const Row& a, const Row& b) { return a.id == b.id; })) {
            say("Session", "rows reordered");
            result_.structural = true;
        }
        return std::move(result_);
    }

  private:
    void saySnapshots() {
        for (const Snapshot& s : before_.snapshots) {
            if (findSnapshot(after_, s.id) == nullptr)
                say("Session", "snapshot “" + s.name + "” dropped");
        }
        for (const Snapshot& s : after_.snapshots) {
            const Snapshot* old = findSnapshot(before_, s.id);
            if (old == nullptr) {
                say("Session",
                    "snapshot “" + s.name + "” taken" + (s.note.empty() ? "" : ": " + s.note));
                continue;
            }
            if (old->name != s.name)
                say("Session", "snapshot “" + old->name + "” is called “" + s.name + "”");
            if (old->clip != s.clip) say("Session", "a clip of “" + s.name + "” kept");
            if (old->verdict != s.verdict || old->note != s.note)
                say("Session", "snapshot “" + s.name +
                                   "”: " + std::string(verdictLabel(s.verdict)) +
                                   (s.note.empty() ? "" : ", " + s.note));
        }
    }

    void say(const std::string& place, const std::string& what) {
        result_.changes.push_back({place + " · " + what, {}, {}, {}, {}, {}});
    }
    void say(const Row& row, const std::string& what) {
        say(row.name, what);
        result_.changes.back().row = row.id;
    }
    void say(const Row& row, const Stage& stage, const std::string& what) {
        say(row.name + " · " + stageLabel(stage), what);
        result_.changes.back().row = row.id;
        result_.changes.back().stage = stage.id;
    }
    void touched(const std::string& row) {
        if (result_.rows.empty() || result_.rows.back() != row) result_.rows.push_back(row);
    }
    void structural(const std::string& row) {
        result_.structural = true;
        touched(row);
    }

    // What strokes drive plays another part.
    void strikeAnew() {
        for (const Row& row : after_.rows) {
            if (playsStrokes(row)) structural(row.id);
        }
    }

    void sayPattern() {
        const auto &was = before_.pattern.get().notes, &is = after_.pattern.get().notes;
        say("Pattern", is.size() == was.size()
                           ? std::string("notes moved")
                           : std::to_string(was.size()) + " → " + std::to_string(is.size()) +
                                 (is.size() == 1 ? " note" : " notes"));
        strikeAnew();
    }

    void compareRow(const Row& a, const Row& b) {
        if (a == b) return;
        if (a.name != b.name) say(a, "renamed to " + b.name);
        if (a.role != b.role)
            say(b,
                "role " + std::string(roleLabel(a.role)) + " → " + std::string(roleLabel(b.role)));
        // Gates that strokes open follow the drum.
        if (a.drum != b.drum) structural(b.id);
        if (a.layers != b.layers) compareLayers(a, b);
        if (a.kind != b.kind || a.sources != b.sources) {
            say(b, a.kind != b.kind                      ? "now a " + std::string(toString(b.kind))
                   : b.printed && a.printed != b.printed ? "printed anew"
                   : a.sources.size() < b.sources.size() ? "paired, left and right"
                   : a.sources.size() > b.sources.size() ? "parted into two rows"
                   : std::is_permutation(a.sources.begin(), a.sources.end(), b.sources.begin())
                       ? "left and right exchanged"
                       : "recording changed");
            structural(b.id);
        } else if (a.printed && b.printed && a.printed != b.printed) {
            say(b, "printed anew");  // and sounds as it did
        }
        if (a.parent != b.parent) {
            say(b, "routed to " + (b.parent.empty() ? std::string("nothing") : nameOf(b.parent)));
            structural(b.id);
        }
        if (a.mute != b.mute) move(Move::Kind::mute, b, b.mute ? "muted" : "unmuted", b.mute);
        if (a.solo != b.solo) move(Move::Kind::solo, b, b.solo ? "soloed" : "solo off", b.solo);
        compareSends(a, b);
        compareChain(a, b);
        compareCurves(a, b);
        if (a.frozen != b.frozen) {
            say(b, !b.frozen ? "plays live again" : a.frozen ? "printed anew" : "frozen");
            structural(b.id);
        }
    }

    // An edit anywhere may be one that a print does not hold.
    void comparePrints() {
        for (const Row& row : after_.rows) {
            const Row* old = row.frozen ? findRow(before_, row.id) : nullptr;
            if (old != nullptr && old->frozen &&
                playsPrint(before_, *old) != playsPrint(after_, row))
                structural(row.id);
        }
    }

    void compareCurves(const Row& a, const Row& b) {
        std::vector<CurvePlace> places = drawnCurves(b);
        for (const CurvePlace& place : drawnCurves(a)) {
            if (std::find(places.begin(), places.end(), place) == places.end())
                places.push_back(place);
        }
        for (const CurvePlace& place : places) {
            const Curve *was = findCurve(before_, place), *is = findCurve(after_, place);
            if (was != nullptr && is != nullptr && *was == *is) continue;
            sayCurve(place, was, is);
            structural(b.id);
        }
    }

    void sayCurve(const CurvePlace& place, const Curve* was, const Curve* is) {
        say(*findRow(after_, place.row),
            curveChange(is != nullptr ? after_ : before_, place, was, is));
        Difference& said = result_.changes.back();
        said.stage = place.stage;
        said.parameter = place.parameter;
    }

    void compareLayers(const Row& a, const Row& b) {
        structural(b.id);
        const ParameterTable table = layerTable();
        for (const Layer& old : a.layers) {
            if (findLayer(b, old.id) == nullptr) say(b, "layer “" + old.name + "” removed");
        }
        for (const Layer& layer : b.layers) {
            const Layer* old = findLayer(a, layer.id);
            if (old == nullptr) {
                say(b, "layer “" + layer.name + "” added");
                continue;
            }
            if (old->name != layer.name)
                say(b, "layer “" + old->name + "” renamed to “" + layer.name + "”");
            if (old->sounds != layer.sounds)
                say(b, "layer “" + layer.name + "” plays " +
                           (layer.sounds.size() == 1
                                ? std::string("another sound")
                                : std::to_string(layer.sounds.size()) + " sounds in turn"));
            for (std::size_t p = 0; p < table.size(); ++p) {
                if (old->values[p] == layer.values[p]) continue;
                const std::string from = formatValue(table[p], old->values[p]),
                                  to = formatValue(table[p], layer.values[p]);
                say(b.name + " · " + layer.name, fromTo(table[p].label, from, to));
                Difference& said = result_.changes.back();
                said.row = b.id;
                said.parameter = layer.id + "." + table[p].id;
                said.from = from;
                said.to = to;
            }
        }
    }

    void compareSends(const Row& a, const Row& b) {
        for (const Send& old : a.sends) {
            if (findSend(b, old.to) != nullptr) continue;
            say(b, "no longer sent to " + nameOf(old.to));
            structural(b.id);
        }
        for (std::size_t i = 0; i < b.sends.size(); ++i) {
            const Send& send = b.sends[i];
            const Send* old = findSend(a, send.to);
            const std::string name = nameOf(send.to);
            if (old == nullptr || old->before != send.before) {
                say(b, (old == nullptr ? "sent to " : "send to ") + name +
                           (send.before ? ", before the fader" : ", after the fader"));
                structural(b.id);
            }
            const auto moved = [&](Move::Kind kind, const std::string& what, double value) {
                say(b, sendText(name, what));
                result_.moves.push_back({kind, b.id, static_cast<int>(i), 0, value});
                touched(b.id);
            };
            const Send was = old != nullptr ? *old : Send{send.to, send.before};
            if (was.levelDb != send.levelDb)
                moved(Move::Kind::sendLevel, sendLevelText(was) + " → " + sendLevelText(send),
                      send.levelDb);
            if (was.pan != send.pan)
                moved(Move::Kind::sendPan, "pan " + changeText(send.pan, 0) + " %", send.pan);
            if (was.on != send.on)
                moved(Move::Kind::sendOn, send.on ? "on" : "off", send.on ? 1.0 : 0.0);
        }
        // The places of sends are those of the plan.
        if (!result_.structural &&
            !std::equal(a.sends.begin(), a.sends.end(), b.sends.begin(), b.sends.end(),
                        [](const Send& x, const Send& y) { return x.to == y.to; }))
            structural(b.id);
    }

    std::string nameOf(const std::string& id) const {
        const Row* row = findRow(after_, id);
        if (row == nullptr) row = findRow(before_, id);  // it went in the same edit
        return row != nullptr ? row->name : id;
    }

    void move(Move::Kind kind, const Row& row, const std::string& what, bool on) {
        say(row, what);
        result_.moves.push_back({kind, row.id, 0, 0, on ? 1.0 : 0.0});
        touched(row.id);
    }

    void compareChain(const Row& a, const Row& b) {
        const bool same = std::equal(
            a.chain.begin(), a.chain.end(), b.chain.begin(), b.chain.end(),
            [](const Stage& x, const Stage& y) { return x.id == y.id && x.type == y.type; });
        if (!same) {
            std::string order;
            std::vector<std::string> added;
            for (const Stage& stage : b.chain) {
                order += (order.empty() ? "" : ", ") + stageLabel(stage);
                if (findStage(a, stage.id) == nullptr) added.push_back(stage.id);
            }
            say(b, "chain is now " + order);
            // Where one came it is about that one, and so is the reason for it.
            if (added.size() == 1) result_.changes.back().stage = added.front();
            structural(b.id);
        }
        for (std::size_t i = 0; i < b.chain.size(); ++i) {
            if (const Stage* old = findStage(a, b.chain[i].id);
                old != nullptr && old->type == b.chain[i].type) {
                compareStage(*old, b.chain[i], b, static_cast<int>(i));
            } else if (!b.chain[i].drums.empty()) {
                compareDrums(Stage{}, b.chain[i], b);
            }
        }
    }

    void compareStage(const Stage& a, const Stage& b, const Row& row, int index) {
        const ParameterTable table = processorType(b.type).table;
        for (std::size_t p = 0; p < table.size(); ++p) {
            if (a.values[p] == b.values[p]) continue;
            const std::string from = formatValue(table[p], a.values[p]),
                              to = formatValue(table[p], b.values[p]);
            say(row, b, fromTo(parameterLabel(b, p), from, to));
            Difference& said = result_.changes.back();
            said.parameter = table[p].id;
            said.from = from;
            said.to = to;
            result_.moves.push_back(
                {Move::Kind::value, row.id, index, static_cast<int>(p), b.values[p]});
            if (table[p].structural) result_.structural = true;
            touched(row.id);
        }
        for (const auto& [word, text] : b.words) {
            const auto was = a.words.find(word);
            if (word.ends_with(".name") && (was == a.words.end() || was->second != text))
                say(row, b, "a band is called “" + text + "”");
        }
        for (const std::string& what : controlWords(a, b)) say(row, b, what);
        compareDrums(a, b, row);
        if (a.on != b.on) {
            say(row, b, b.on ? "on" : "off");
            result_.moves.push_back({Move::Kind::stageOn, row.id, index, 0, b.on ? 1.0 : 0.0});
            touched(row.id);
        }
        if (a.key != b.key) {
            say(row, b, b.key.empty() ? "keyed by itself" : "keyed by " + nameOf(b.key));
            structural(row.id);
        }
    }

    // What drums are turned to, and what was measured for it.
    void compareDrums(const Stage& a, const Stage& b, const Row& row) {
        const auto of = [](const Stage& stage, const std::string& drum) {
            const auto at = stage.drums.find(drum);
            return at != stage.drums.end() ? at->second : 0.0;
        };
        std::set<std::string> drums;
        for (const auto& [drum, db] : a.drums) drums.insert(drum);
        for (const auto& [drum, db] : b.drums) drums.insert(drum);
        for (const std::string& drum : drums) {
            if (of(a, drum) == of(b, drum)) continue;
            const std::string from = bleedText(of(a, drum)), to = bleedText(of(b, drum));
            say(row, b,
                fromTo(drum == kNoDrum ? std::string("the rest") : drumName(after_, drum), from,
                       to));
            Difference& said = result_.changes.back();
            said.parameter = drum;
            said.from = from;
            said.to = to;
            structural(row.id);
        }
        if (a.data != b.data) {
            if (!a.data.empty()) say(row, b, "taken apart anew");
            structural(row.id);
        }
    }

    const Session& before_;
    const Session& after_;
    SessionDiff result_;
};

}  // namespace

std::vector<std::string> SessionDiff::sentences() const {
    std::vector<std::string> out;
    for (const Difference& change : changes) out.push_back(change.text);
    return out;
}

SessionDiff diff(const Session& before, const Session& after) {
    return Comparer(before, after).run();
}

}  // namespace ember
