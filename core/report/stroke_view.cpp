#include "core/report/stroke_view.h"

#include "core/audio/store.h"
#include "core/engine/render.h"
#include "core/measure/kit/kit_mics.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kWarm = 1.0;  // seconds for followers and filters to be where they would be
constexpr double kFactor = 4.0;

// The row alone, moved so that the stroke falls at kWarm; what comes after the stage is left out.
// Rows that key something there stay, unheard.
Session aroundStroke(const Session& session, const std::string& id, const std::string& stage,
                     double time) {
    Session out = session;
    Row& row = requireRow(out, id);
    const auto at = static_cast<std::size_t>(&requireStage(row, stage) - row.chain.data());
    for (std::size_t i = at + 1; i < row.chain.size(); ++i) {
        if (row.chain[i].type == "seat")
            row.chain[i] = makeStage("seat");
        else
            row.chain[i].on = false;
    }
    out = withRowsAndKeys(out, {id, mainRow(out)});
    requireRow(out, mainRow(out)).chain = makeChain(RowKind::main);
    return startingAt(std::move(out), time - kWarm);
}

}  // namespace

Session startingAt(Session session, double seconds) {
    for (Row& row : session.rows) {
        for (Source& source : row.sources) source.offset -= seconds;
    }
    std::vector<Stroke> strokes = session.strokes.get();
    for (Stroke& s : strokes) s.time -= seconds;
    std::erase_if(strokes, [](const Stroke& s) { return s.time < 0.0; });
    session.strokes = Shared(std::move(strokes));
    session.time.start -= seconds;  // notes stand by the beat
    return session;
}

StrokeView viewStroke(const Session& session, AudioStore& store, const std::string& row,
                      const std::string& stage, double time, bool attacks) {
    StrokeView view;
    view.sampleRate = session.sampleRate;
    Session around = aroundStroke(session, row, stage, time);
    const auto hear = [&](bool on) {
        requireStage(requireRow(around, row), stage).on = on;
        AudioBuffer heard = renderMix(
            around, store, {1, 4096, kWarm - StrokeView::kLead, kWarm + StrokeView::kLength, true});
        return heard.channels.empty() ? std::vector<float>{} : std::move(heard.channels.front());
    };
    view.before = hear(false);
    view.now = hear(true);
    Stage& s = requireStage(requireRow(around, row), stage);
    const ParameterTable table = processorType(s.type).table;
    const int attack = parameterIndex(table, "attack");
    if (!attacks || attack < 0 ||
        table[static_cast<std::size_t>(attack)].unit != Unit::milliseconds)
        return view;
    const auto index = static_cast<std::size_t>(attack);
    const double set = s.values[index];
    const auto with = [&](double ms) {
        requireStage(requireRow(around, row), stage).values[index] = ms;
        return hear(true);
    };
    view.fastMs = std::max(set / kFactor, table[index].minimum);
    view.slowMs = std::min(set * kFactor, table[index].maximum);
    view.fast = with(view.fastMs);
    view.slow = with(view.slowMs);
    return view;
}

double usualStroke(const Session& session, const std::vector<Stroke>& strokes,
                   const std::string& row) {
    const std::string drum = drumOfRow(session, row);
    std::vector<const Stroke*> own;
    for (const StrokeKind kind : {StrokeKind::accent, StrokeKind::normal}) {
        for (const Stroke& s : strokes) {
            if (s.drum == drum && s.kind == kind) own.push_back(&s);
        }
        if (!own.empty()) break;
    }
    if (own.empty()) return -1.0;
    const auto middle = own.begin() + static_cast<std::ptrdiff_t>(own.size() / 2);
    std::nth_element(own.begin(), middle, own.end(), [](const Stroke* a, const Stroke* b) {
        return a->levelDb != b->levelDb ? a->levelDb < b->levelDb : a->time < b->time;
    });
    return (*middle)->time;
}

}  // namespace ember
