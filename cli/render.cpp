#include "cli/render.h"

#include "cli/separate.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/session/file.h"

#include <cmath>
#include <iostream>

namespace ember::cli {
namespace fs = std::filesystem;

Json toJson(const Loudness& l) {
    return {{"integrated_lufs", l.integrated},
            {"max_short_term_lufs", l.maxShortTerm},
            {"range_lu", l.range},
            {"true_peak_dbtp", l.truePeak},
            {"sample_peak_dbfs", l.samplePeak}};
}

std::string describe(const Loudness& l) {
    return numberText(l.integrated, 1) + " LUFS, short-term up to " +
           numberText(l.maxShortTerm, 1) + " LUFS, range " + numberText(l.range, 1) +
           " LU, true peak " + numberText(l.truePeak, 1) + " dBTP, sample peak " +
           numberText(l.samplePeak, 1) + " dBFS";
}

void render(const Output& out, RenderRequest r) {
    r.options.tail = true;
    const Session session = openSession(r.session);
    AudioStore store;
    const SampleDepth depth = r.depth == "16"
                                  ? SampleDepth::pcm16
                                  : (r.depth == "24" ? SampleDepth::pcm24 : SampleDepth::float32);
    RenderReport report = renderToFile(session, store, r.options, r.mix, depth);
    Json result{{"file", r.mix.string()},
                {"frames", report.frames},
                {"tail_frames", report.tail},
                {"dithered", depth == SampleDepth::pcm16},
                {"latency_frames", report.latency},
                {"loudness", toJson(report.loudness)},
                {"stopped_blocks", report.stoppedBlocks},
                {"problems", report.problems}};
    out.say(r.mix.string() + ": " + describe(report.loudness) +
            (depth == SampleDepth::pcm16 ? "; 16 bit, dithered" : ""));
    if (report.tail > 0)
        out.say("It rings on for " +
                numberText(static_cast<double>(report.tail) / session.sampleRate, 2) +
                " s after the last recording.");
    if (report.loudness.samplePeak > 0.0)
        out.say("The mix goes above full scale; lower the main by " +
                numberText(std::ceil(report.loudness.samplePeak + 1.0), 0) + " dB.");
    if (!r.stems.empty()) {
        const RenderReport stems = renderStems(session, store, r.options, r.stems);
        Json files = Json::array();
        for (const fs::path& file : stems.files) files.push_back(file.string());
        result["stems"] = {{"files", files},
                           {"pre_bus_residue_dbfs", stems.stems.preBusDb},
                           {"through_buses_residue_dbfs", stems.stems.throughBusesDb},
                           {"buses_replay_exactly", stems.stems.busesReplayExactly}};
        out.say(std::to_string(stems.files.size()) + " stems in " + r.stems.string() +
                ": before the buses they sum to the buses' inputs within " +
                numberText(stems.stems.preBusDb, 1) +
                " dBFS, through the buses to the mix within " +
                numberText(stems.stems.throughBusesDb, 1) + " dBFS" +
                (stems.stems.busesReplayExactly ? "" : " (a nonlinear bus makes more impossible)"));
    }
    for (const std::string& problem : report.problems) std::cerr << problem << "\n";
    out.machine(result);
    if (!report.problems.empty())
        throw Error("The mix was rendered without the recordings named above.");
}

void loudness(const Output& out, const fs::path& file) {
    const Loudness l = measureLoudness(file);
    out.machine(toJson(l));
    out.say(describe(l));
}

}  // namespace ember::cli
