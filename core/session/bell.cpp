#include "core/session/bell.h"

#include "core/dsp/equaliser.h"

#include <algorithm>

namespace ember {

BellAdded withBell(Session session, std::string_view row, double hertz, double gainDb, double q,
                   const std::string& why) {
    const auto hasRoom = [](const Stage* stage) {
        return stage != nullptr && stage->type == "eq" && freeEqBand(stage->values) >= 0;
    };
    std::string eq;
    const Row& before = requireRow(session, row);
    for (const Stage& stage : before.chain) {
        if (hasRoom(&stage)) eq = stage.id;
    }
    if (hasRoom(findStage(before, "eq"))) eq = "eq";
    if (eq.empty()) {
        const std::vector<Stage> chain = before.chain;
        session = withStageAdded(std::move(session), row, "eq");
        for (const Stage& stage : requireRow(session, row).chain) {
            const bool isNew = std::none_of(chain.begin(), chain.end(),
                                            [&](const Stage& s) { return s.id == stage.id; });
            if (isNew) eq = stage.id;
        }
    }
    const std::string band = eqBandId(freeEqBand(findStage(requireRow(session, row), eq)->values));
    const auto set = [&](const char* what, double value) {
        session = withValue(std::move(session), row, eq, band + what, value);
    };
    set(".on", 1.0);
    set(".shape", static_cast<double>(EqShape::bell));
    set(".frequency", hertz);
    set(".gain", gainDb);
    set(".q", q);
    if (why.size() <= kLongestWord)
        session = withWord(std::move(session), row, eq, band + ".why", why);
    return {std::move(session), eq};
}

}  // namespace ember
