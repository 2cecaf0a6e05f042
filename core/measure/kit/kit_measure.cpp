#include "core/measure/kit/kit_measure.h"

#include "core/base/hash.h"
#include "core/base/number.h"
#include "core/measure/kit/kit_cache.h"
#include "core/measure/separate/kept_models.h"

#include <oneapi/tbb/parallel_for.h>

namespace ember {
namespace {

// Raise it when anything is measured in another way: old results are then not read any more.
constexpr const char* kKitVersion = "kit 14";

// What else the whole measurement depends on.
std::string editsKey(const Session& session) {
    std::string all = "\n" + timeKey(session.time);
    for (const StrokeEdit& e : session.strokeEdits) {
        all += (e.remove ? "\n1 " : "\n0 ") + plainText(e.stroke.time, 9) + " " +
               plainText(e.stroke.velocity, 6) + " " +
               std::to_string(static_cast<int>(e.stroke.kind)) + " " + e.stroke.drum;
    }
    return all;
}

KitStrokes cachedStrokes(const std::string& key, const KitMics& kit, AudioStore& store,
                         const Progress& progress) {
    const std::filesystem::path file = store.folder() / (hashBytes(key) + ".strokes");
    if (auto kept = loadStrokes(file)) return std::move(*kept);
    KitStrokes strokes = measureStrokes(kit, progress);
    keepStrokes(file, strokes);
    return strokes;
}

std::vector<SignalLevels> measureAllLevels(const KitMics& kit, const Progress& progress) {
    report(progress, 0.0, "Loudness");
    std::vector<SignalLevels> out(kit.mics.size());
    tbb::parallel_for(std::size_t{0}, kit.mics.size(), [&](std::size_t i) {
        report(progress, 0.0, "Loudness of " + kit.mics[i].name);
        out[i] = measureLevels(kit.mics[i].channels, kit.sampleRate);
        out[i].row = kit.mics[i].id;
        SpectrumMeter meter(kit.sampleRate);
        for (const auto& side : kit.mics[i].channels) meter.add(side);
        out[i].spectrum = meter.result(3);
        out[i].rumbleDb = measureRumble(kit.mics[i].channels.front(), kit.sampleRate);
    });
    return out;
}

}  // namespace

std::string recordingsKey(const Session& session, AudioStore& store) {
    std::string all = std::string(kKitVersion) + " " + std::to_string(session.sampleRate);
    for (const Row& row : session.rows) {
        // Layers and parts are no microphone: with or without them the kit is the same.
        if (!isListenedTo(row)) continue;
        all += "\n" + row.id + " " + std::string(toString(row.role)) + " " + row.drum;
        for (const Source& s : row.sources)
            all += " " + store.contentHash(s.file) + " " + std::to_string(s.channel) + " " +
                   std::to_string(s.offset);
    }
    return all;
}

KitStrokes measureSessionStrokes(const Session& session, AudioStore& store,
                                 const Progress& progress) {
    const KitMics kit = kitMics(session, store, within(progress, 0.0, 0.2));
    return withEdits(
        cachedStrokes(recordingsKey(session, store), kit, store, within(progress, 0.2, 1.0)),
        session.strokeEdits);
}

KitMeasurement measureKit(const Session& session, AudioStore& store, const Progress& progress) {
    const std::string content = recordingsKey(session, store);
    const std::filesystem::path file =
        store.folder() / (hashBytes(content + editsKey(session)) + ".kit");
    if (auto kept = loadMeasurement(file)) return std::move(*kept);
    const KitMics kit = kitMics(session, store, within(progress, 0.0, 0.1));
    KitMeasurement out;
    out.found = cachedStrokes(content, kit, store, within(progress, 0.1, 0.55));
    out.strokes = withEdits(out.found, session.strokeEdits);
    out.bleed = measureBleed(kit, out.strokes);
    out.separation = measureSeparation(kit, out.strokes, within(progress, 0.55, 0.65));
    out.phase = measurePhase(kit, out.strokes, within(progress, 0.65, 0.75));
    // By the strokes as found: corrections move a few, and need not take the kit apart anew.
    const auto apart =
        apartBy(content, kit, out.found.strokes, store, within(progress, 0.75, 0.85));
    out.tone = measureTone(kit, out.strokes, apart.get(), within(progress, 0.85, 0.9));
    out.twins = measureTwins(kit, out.strokes, out.tone);
    out.sympathy = measureSympathy(kit, out.strokes, out.tone);
    out.image = measureImage(kit, out.strokes);
    out.timing = measureTiming(out.strokes.strokes, session.time);
    out.levels = measureAllLevels(kit, within(progress, 0.9, 1.0));
    keepMeasurement(file, out);
    return out;
}

}  // namespace ember
