#include "core/advise/chain_copy.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// Above this lie stick, wires and air, which do not follow the head's note.
constexpr double kFollowsNote = 1500.0;

double fundamental(const Session& session, const KitMeasurement& m, const std::string& row) {
    const std::string drum = drumOfRow(session, row);
    for (const DrumTone& t : m.tone) {
        if (t.drum == drum && !drum.empty()) return t.fundamental;
    }
    return 0.0;
}

// Median peak of a row's own strokes; nothing where it has none.
double usualPeak(const KitMeasurement& m, const std::string& row, bool& known) {
    for (const Separation& s : m.separation) {
        if (s.mic != row || s.ownDb.empty()) continue;
        std::vector<double> peaks = s.ownDb;
        std::sort(peaks.begin(), peaks.end());
        known = true;
        return peaks[peaks.size() / 2];
    }
    known = false;
    return 0.0;
}

std::string familyOf(const Session& session, const std::string& row) {
    const std::string drum = drumOfRow(session, row);
    return isTom(drum) ? "tom" : drum;
}

double fitted(const Parameter& p, double v, const ChainFit& by) {
    // The ends of a range mean "off" for corners; they stay ends.
    const bool end = v <= p.minimum || v >= p.maximum;
    if (p.unit == Unit::hertz && v < kFollowsNote && !end) v *= by.tune;
    if (p.id == "threshold" || p.id.ends_with(".threshold")) v += by.levelDb;
    return std::clamp(v, p.minimum, p.maximum);
}

void fit(Stage& stage, const ChainFit& by) {
    const ParameterTable table = processorType(stage.type).table;
    for (std::size_t i = 0; i < table.size(); ++i)
        stage.values[i] = fitted(table[i], stage.values[i], by);
    // What a control moves goes between ends that are fitted alike, where that leaves it a way.
    for (ControlTarget& t : stage.controls) {
        const Parameter& p = table[static_cast<std::size_t>(parameterIndex(table, t.parameter))];
        const double from = fitted(p, t.from, by), to = fitted(p, t.to, by);
        if (from == to) continue;
        t.from = from;
        t.to = to;
    }
}

}  // namespace

ChainFit fitChain(const Session& session, const KitMeasurement& m, const std::string& from,
                  const std::string& to) {
    ChainFit fit;
    const double a = fundamental(session, m, from), b = fundamental(session, m, to);
    if (a > 0.0 && b > 0.0) fit.tune = b / a;
    bool knowsFrom = false, knowsTo = false;
    const double loudFrom = usualPeak(m, from, knowsFrom), loudTo = usualPeak(m, to, knowsTo);
    if (knowsFrom && knowsTo) fit.levelDb = loudTo - loudFrom;
    return fit;
}

Session withChainCopied(const Session& session, const KitMeasurement& m, const std::string& from,
                        const std::string& to) {
    if (from == to) throw Error("A chain cannot be copied onto itself; choose another row.");
    Session out = session;
    const Row source = requireRow(out, from);
    Row& target = requireRow(out, to);
    const ChainFit by = fitChain(session, m, from, to);
    std::erase_if(target.chain, [](const Stage& s) { return !belongsToRow(s); });
    for (Stage stage : source.chain) {
        if (belongsToRow(stage)) continue;
        stage.key.clear();
        stage.curves.clear();  // they belong to the song of the other row
        fit(stage, by);
        target.chain.insert(target.chain.end() - 1, std::move(stage));
    }
    return out;
}

std::vector<std::string> chainTargets(const Session& session, const std::string& from) {
    std::vector<std::string> siblings, others;
    const Row* source = findRow(session, from);
    const std::string family = familyOf(session, from);
    for (const Row& row : session.rows) {
        if (source == nullptr || row.id == from || row.kind != source->kind) continue;
        const bool sibling = !family.empty() && familyOf(session, row.id) == family;
        (sibling ? siblings : others).push_back(row.id);
    }
    siblings.insert(siblings.end(), others.begin(), others.end());
    return siblings;
}

}  // namespace ember
