#include "cli/measure.h"

#include "core/base/error.h"
#include "core/report/measure_json.h"
#include "core/session/file.h"

#include <algorithm>
#include <cstdio>
#include <iostream>
#include <map>

namespace ember::cli {
namespace {

void say(const Proposal& p, bool accepted) {
    std::cout << (accepted ? "✓ " : "· ") << p.id << ": " << p.title << " (" << p.school
              << ")\n    " << p.reason << "\n";
    for (const Effect& e : p.effects) {
        std::cout << "    " << e.what << ":";
        char text[64];
        const auto figure = [&](const char* name, const std::optional<double>& v) {
            if (!v) return;
            std::snprintf(text, sizeof text, " %s %.1f %s", name, *v, e.unit.c_str());
            std::cout << text;
        };
        figure("before", e.before);
        figure("predicted", e.predicted);
        figure("measured", e.measured);
        std::cout << "\n";
    }
}

}  // namespace

void measure(const MeasureRequest& r) {
    const Session session = withAbsolutePaths(loadDocument(r.session).session(), r.session);
    AudioStore store;
    const KitMeasurement m = measureKit(session, store);
    const std::string json = measurementJson(m, r.parts);
    if (!r.out.empty())
        writeAtomically(r.out, r.out.extension() == ".csv" ? strokesCsv(m.strokes) : json + "\n",
                        false);
    if (r.json && r.out.empty()) {
        std::cout << json << "\n";
        return;
    }
    std::map<std::string, std::map<StrokeKind, int>> counts;
    for (const Stroke& s : m.strokes.strokes) ++counts[s.drum][s.kind];
    for (auto& [drum, kinds] : counts) {
        std::cout << drum << ":";
        for (const StrokeKind kind :
             {StrokeKind::accent, StrokeKind::normal, StrokeKind::ghost, StrokeKind::flam}) {
            if (kinds[kind] > 0) std::cout << " " << kinds[kind] << " " << toString(kind);
        }
        for (const DrumTone& t : m.tone) {
            if (t.drum == drum && t.fundamental > 0.0)
                std::printf("; note %.1f Hz, T60 %.2f s", t.fundamental, t.decayT60);
            if (t.drum != drum) continue;
            for (const Ring& ring : t.rings) std::printf("; ring %.0f Hz", ring.hertz);
        }
        std::fflush(stdout);
        std::cout << "\n";
    }
}

void advise(const AdviseRequest& r) {
    for (const std::string& step : r.steps) {
        if (step != "align" && step != "gate" && step != "repair")
            throw Error("“" + step + "” is no step with advice; align, gate and repair are.");
    }
    Document document = loadDocument(r.session);
    Session session = withAbsolutePaths(document.session(), r.session);
    AudioStore store;
    const KitMeasurement m = measureKit(session, store);
    const Advice how{r.align == "overheads" ? AlignSchool::toOverheads : AlignSchool::withinDrum,
                     r.gate == "level" ? GateSchool::byLevel : GateSchool::byStrokes};
    std::vector<Proposal> proposals = ember::advise(session, m, how);
    if (!r.steps.empty())
        std::erase_if(proposals, [&](const Proposal& p) { return !r.steps.contains(p.step); });
    for (const std::string& id : r.accept) {
        const bool known =
            id == "all" || std::any_of(proposals.begin(), proposals.end(),
                                       [&](const Proposal& p) { return p.id == id; });
        if (!known)
            throw Error("There is no proposal “" + id +
                        "”; run advise without --accept to see them.");
    }
    std::set<std::string> accepted;
    for (const Proposal& p : proposals) {
        if (!r.accept.contains("all") && !r.accept.contains(p.id)) continue;
        session = accept(std::move(session), p, m.strokes);
        accepted.insert(p.id);
    }
    for (Proposal& p : proposals) {
        if (accepted.contains(p.id)) measureEffects(p, session, m, store);
    }
    if (!accepted.empty()) {
        const std::filesystem::path target = r.out.empty() ? r.session : r.out;
        document.edit(withRelativePaths(session, target));
        saveDocument(target, document);
    }
    if (r.json) {
        std::cout << proposalsJson(proposals, accepted) << "\n";
        return;
    }
    for (const Proposal& p : proposals) say(p, accepted.contains(p.id));
}

}  // namespace ember::cli
