#include "core/session/recipe.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/number.h"
#include "core/session/curves.h"
#include "core/session/graph.h"

#include <algorithm>
#include <set>
#include <type_traits>

namespace ember {
namespace {

std::string curvesText(const std::vector<Curve>& curves) {
    std::string out;
    for (const Curve& c : curves) {
        if (!c.on) continue;
        out += " ~" + c.parameter + " " + std::to_string(c.bars);
        for (const CurvePoint& p : c.points)
            out += " " + plainText(p.quarter, 9) + " " + plainText(p.value, 9) + " " +
                   std::string(toString(p.shape));
    }
    return out;
}

// Numbers as they lie in memory: there may be thousands of strokes.
class Bytes {
  public:
    template <typename T>
    Bytes& add(T value) {
        static_assert(std::is_arithmetic_v<T> || std::is_enum_v<T>);
        out_.append(reinterpret_cast<const char*>(&value), sizeof value);
        return *this;
    }
    Bytes& add(const std::string& text) {
        add(text.size());
        out_ += text;
        return *this;
    }
    [[nodiscard]] const std::string& get() const { return out_; }

  private:
    std::string out_;
};

void addStroke(Bytes& to, const Stroke& s) {
    to.add(s.time).add(s.drum).add(s.mic).add(s.velocity).add(s.kind).add(s.articulation);
}

void addTime(Bytes& to, const TimeMap& time) {
    to.add(time.start);
    for (const TempoChange& t : time.tempos) to.add(t.quarter).add(t.bpm);
    for (const MetreChange& m : time.metres) to.add(m.bar).add(m.beats).add(m.unit);
}

std::string contentOf(const Source& source) {
    return source.hash.empty() ? source.file : source.hash;
}

}  // namespace

std::string soundText(const Row& row, const std::function<std::string(const Source&)>& content) {
    std::string all = "\n" + row.id + " " + std::to_string(static_cast<int>(row.kind)) + " " +
                      std::to_string(static_cast<int>(row.role)) + " " + row.drum + " > " +
                      row.parent;
    for (const Send& s : row.sends)
        all += " > " + s.to + (s.before ? " before " : " after ") + (s.on ? "on " : "off ") +
               plainText(s.levelDb, 9) + " " + plainText(s.pan, 9) + curvesText(s.curves);
    const auto source = [&](const Source& s) {
        all += " " + content(s) + " " + std::to_string(s.channel) + " " + plainText(s.offset, 9);
    };
    for (const Source& s : row.sources) source(s);
    for (const Layer& layer : row.layers) {
        all += "\n layer";
        for (const Source& s : layer.sounds) all += " " + content(s);
        for (const double v : layer.values) all += " " + plainText(v, 9);
    }
    for (const Stage& stage : row.chain) {
        all += "\n " + stage.id + " " + stage.type + (stage.on ? " on " : " off ") + stage.key;
        for (const double v : stage.values) all += " " + plainText(v, 9);
        for (const auto& [drum, db] : stage.drums) all += " " + drum + " " + plainText(db, 9);
        // Whose microphone a bleed step takes apart; elsewhere words are names.
        if (stage.type == "bleed") {
            for (const auto& [word, text] : stage.words)
                all.append(" ").append(word).append(" ").append(text);
        }
        all += stage.data + curvesText(stage.curves);
    }
    return all;
}

std::string recipeOf(const Session& session, std::string_view id) {
    const Row* row = findRow(session, id);
    if (row == nullptr) return {};
    Bytes all;
    all.add(session.sampleRate);
    bool struck = false, moved = false, takenApart = false;
    for (const std::string& heard : heardIn(session, id)) {
        const Row* one = findRow(session, heard);
        if (one == nullptr) continue;
        for (const Stage& stage : one->chain)
            takenApart = takenApart || (stage.type == "bleed" && stage.on && !stage.data.empty());
        moved = moved || goesByTime(*one);
        struck = struck || playsStrokes(*one);
        if (one == row) {
            Row own = *row;
            own.parent.clear();
            own.sends.clear();
            if (!own.chain.empty()) own.chain.pop_back();
            all.add(soundText(own, contentOf));
        } else {
            all.add(soundText(*one, contentOf)).add(one->mute);
        }
    }
    if (struck || moved) addTime(all, session.time);
    // What a bleed step takes for room goes by what the other microphones are.
    if (takenApart) {
        for (const Row& other : session.rows) {
            if (other.kind == RowKind::element && !other.printed) all.add(other.id).add(other.role);
        }
    }
    if (!struck) return hashBytes(all.get());
    for (const Stroke& s : session.strokes.get()) addStroke(all, s);
    for (const StrokeEdit& edit : session.strokeEdits) {
        all.add(edit.remove);
        addStroke(all, edit.stroke);
    }
    const Pattern& pattern = session.pattern.get();
    all.add(pattern.pulses);
    for (const Note& n : pattern.notes)
        all.add(n.tick).add(n.length).add(n.drum).add(n.velocity).add(n.articulation);
    return hashBytes(all.get());
}

bool printFits(const Session& session, const Row& row) {
    return row.frozen && static_cast<int>(row.frozen->audio.size()) == channelCount(row) &&
           row.frozen->recipe == recipeOf(session, row.id);
}

bool playsPrint(const Session& session, const Row& row) {
    if (!printFits(session, row)) return false;
    const std::set<std::string> heard = heardIn(session, row.id);
    return std::none_of(session.rows.begin(), session.rows.end(), [&](const Row& member) {
        return member.solo && member.id != row.id && heard.contains(member.id);
    });
}

Session withPrint(Session session, std::string_view id, Print print) {
    Row& row = requireRow(session, id);
    if (row.kind == RowKind::main || row.kind == RowKind::reference)
        throw Error("“" + row.name +
                    "” cannot be frozen; freeze a row or a bus that feeds the main.");
    if (static_cast<int>(print.audio.size()) != channelCount(row))
        throw Error("The print of “" + row.name +
                    "” has not the channels that the row has; print it anew.");
    row.frozen = std::move(print);
    return session;
}

Session withoutPrint(Session session, std::string_view row) {
    requireRow(session, row).frozen.reset();
    return session;
}

Session withoutPrints(Session session) {
    for (Row& row : session.rows) row.frozen.reset();
    return session;
}

}  // namespace ember
