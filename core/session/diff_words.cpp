#include "core/session/diff_words.h"

#include "core/base/number.h"
#include "core/session/control.h"
#include "core/session/range.h"

#include <algorithm>
#include <cmath>

namespace ember {

std::vector<std::string> timeWords(const TimeMap& was, const TimeMap& is) {
    std::vector<std::string> out;
    if (was.tempos != is.tempos) {
        const std::string a = tempoText(was), b = tempoText(is);
        out.push_back(a != b ? "tempo " + a + " → " + b : "tempo changes moved");
    }
    if (was.metres != is.metres) {
        const std::string a = metreText(was), b = metreText(is);
        out.push_back(a != b ? "metre " + a + " → " + b : "changes of metre moved");
    }
    if (was.start != is.start) out.push_back("bar 1 begins at " + numberText(is.start, 3) + " s");
    return out;
}

StrokesWords strokesWords(const Session& before, const Session& after) {
    const auto& was = before.strokeEdits;
    const auto& is = after.strokeEdits;
    if (is.size() < was.size()) return {"Session", "a correction of strokes taken back"};
    if (is.size() == was.size())
        return {"Session", std::to_string(after.strokes.get().size()) + " strokes"};
    if (is.size() > was.size() + 2)
        return {"Strokes", std::to_string(is.size() - was.size()) + " corrections"};
    const Stroke& last = is.back().stroke;
    const auto at = [](const Stroke& s) { return " at " + numberText(s.time, 3) + " s "; };
    const bool pair = is.size() == was.size() + 2 && is[was.size()].remove && !is.back().remove;
    if (!pair)
        return {"Strokes",
                drumName(after, last.drum) + at(last) + (is.back().remove ? "removed" : "added")};
    const Stroke& first = is[was.size()].stroke;
    std::string what = first.drum != last.drum ? "given to " + drumName(after, last.drum)
                                               : "now " + std::string(toString(last.kind));
    if (std::abs(first.time - last.time) > 1e-9)
        what = "moved by " + changeText(1e3 * (last.time - first.time), 2) + " ms";
    return {"Strokes", drumName(after, first.drum) + at(first) + what};
}

std::vector<std::string> wishWords(const Session& before, const Session& after) {
    std::vector<std::string> out;
    for (const StepBudget& b : after.budgets) {
        if (stepBudget(before, b.step) != b.minutes)
            out.push_back(std::string(toString(b.step)) + " may take " + numberText(b.minutes, 0) +
                          " minutes");
    }
    for (const StepBudget& b : before.budgets) {
        if (stepBudget(after, b.step) <= 0.0)
            out.push_back(std::string(toString(b.step)) + " may take as long as it takes");
    }
    const auto named = [&](const std::string& row) {
        const Row* r = findRow(after, row);
        return r != nullptr ? r->name : row;
    };
    for (const RangeBudget& b : after.ranges) {
        const RangeBudget* was = rangeBudget(before, b.row);
        if (was == nullptr || *was != b) out.push_back(named(b.row) + " " + rangeBudgetText(b));
    }
    for (const RangeBudget& b : before.ranges) {
        if (rangeBudget(after, b.row) == nullptr)
            out.push_back(named(b.row) + " may move as it likes");
    }
    for (const std::string& control : after.together) {
        if (!movesTogether(before, control))
            out.push_back("“" + control + "” moves every row that has it, together");
    }
    for (const std::string& control : before.together) {
        if (!movesTogether(after, control))
            out.push_back("“" + control + "” moves each row by itself");
    }
    if (before.ceiling != after.ceiling)
        out.emplace_back(!after.ceiling   ? "no line over the spectrum"
                         : before.ceiling ? "line over the spectrum moved"
                                          : "line over the spectrum drawn");
    return out;
}

std::vector<std::string> controlWords(const Stage& before, const Stage& after) {
    const auto of = [](const Stage& stage, const std::string& parameter) {
        const auto at =
            std::find_if(stage.controls.begin(), stage.controls.end(),
                         [&](const ControlTarget& t) { return t.parameter == parameter; });
        return at != stage.controls.end() ? &*at : nullptr;
    };
    std::vector<std::string> out;
    const ParameterTable table = processorType(after.type).table;
    for (std::size_t p = 0; p < table.size(); ++p) {
        const ControlTarget *was = of(before, table[p].id), *is = of(after, table[p].id);
        if (was == is || (was != nullptr && is != nullptr && *was == *is)) continue;
        const std::string name = parameterLabel(after, p);
        out.push_back(is == nullptr ? "“" + was->control + "” moves " + name + " no longer"
                                    : "“" + is->control + "” moves " + name + " from " +
                                          formatValue(table[p], is->from) + " to " +
                                          formatValue(table[p], is->to));
    }
    return out;
}

}  // namespace ember
