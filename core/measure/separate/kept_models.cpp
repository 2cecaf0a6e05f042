#include "core/measure/separate/kept_models.h"

#include "core/base/archive.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/number.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/separate/corrected.h"
#include "core/session/bleed.h"

#include <algorithm>
#include <map>
#include <mutex>
#include <optional>
#include <set>

namespace ember {
namespace {

namespace fs = std::filesystem;

// Raise it when kits are taken apart in another way, and kKitVersion (kit_measure.cpp) with it:
// notes and rings are read from what is taken apart.
constexpr const char* kBleedVersion = "bleed 3";

fs::path modelFile(const fs::path& folder, const std::string& hash) {
    return folder / (hash + ".bleed");
}
fs::path besideFolder(const fs::path& sessionFile) {
    fs::path folder = sessionFile;
    return folder.replace_extension(".bleed");
}

// A hash that is a file name of ours and nothing else.
bool isHash(const std::string& text) {
    return text.size() == 32 && text.find_first_not_of("0123456789abcdef") == std::string::npos;
}

// Of the session as it is, and of what one may go back to.
std::set<std::string> modelsOf(const Session& session) {
    std::set<std::string> out;
    const auto add = [&](const std::vector<Row>& rows) {
        for (const Row& row : rows) {
            if (const Stage* stage = findBleed(row); stage != nullptr && isHash(stage->data))
                out.insert(stage->data);
        }
    };
    add(session.rows);
    for (const Snapshot& snapshot : session.snapshots) add(snapshot.rows.get());
    return out;
}

std::string keyOf(const std::string& recordings, const std::vector<Stroke>& strokes) {
    std::string all = std::string(kBleedVersion) + " " + recordings;
    for (const Stroke& s : strokes)
        all += "\n" + s.drum + " " + plainText(s.time, 6) + " " + plainText(s.velocity, 4);
    return hashBytes(all);
}

fs::path keyFile(const AudioStore& store, const std::string& key) {
    return store.folder() / (key + ".bleed-key");
}

// The hash of what was measured by this key before, where that is still there.
std::optional<std::string> knownBy(const AudioStore& store, const std::string& key) {
    auto hash = loadArchive(keyFile(store, key));
    if (!hash || !isHash(*hash) || findBleedModel(store, *hash) == nullptr) return {};
    return hash;
}

std::string keep(const AudioStore& store, const std::string& key, const BleedModel& model) {
    const std::string bytes = toBytes(model);
    std::string hash = hashBytes(bytes);
    keepArchive(modelFile(store.folder(), hash), bytes);
    keepArchive(keyFile(store, key), hash);
    return hash;
}

struct Memory {
    std::mutex mutex;
    std::map<std::string, std::weak_ptr<const BleedModel>> held;  // by file
    std::shared_ptr<const BleedModel> last;
};
Memory& memory() {
    static Memory theOne;
    return theOne;
}

}  // namespace

std::shared_ptr<const BleedModel> apartBy(const std::string& recordings, const KitMics& kit,
                                          const std::vector<Stroke>& strokes,
                                          const AudioStore& store, const Progress& progress) {
    const std::string key = keyOf(recordings, strokes);
    if (const auto known = knownBy(store, key)) return findBleedModel(store, *known);
    auto model = std::make_shared<const BleedModel>(measureBleedModel(kit, strokes, progress));
    if (model->channels.empty() || model->drums.empty()) return nullptr;
    keep(store, key, *model);
    return model;
}

namespace {

// By corrected strokes: what listening took the kit apart by, measured anew where they differ; or
// all of it.
BleedModel measureCorrected(const Session& session, AudioStore& store, const KitMics& kit,
                            const std::vector<Stroke>& strokes, const Progress& progress) {
    if (!session.strokeEdits.empty()) {
        Session uncorrected = session;
        uncorrected.strokeEdits.clear();
        const auto known =
            apartBy(recordingsKey(session, store), kit,
                    measureSessionStrokes(uncorrected, store, within(progress, 0.0, 0.4)).strokes,
                    store, within(progress, 0.4, 0.9));
        if (known) {
            if (auto model = corrected(*known, kit, strokes, within(progress, 0.9, 1.0)))
                return std::move(*model);
        }
    }
    return measureBleedModel(kit, strokes, progress);
}

}  // namespace

std::string takeApart(const Session& session, AudioStore& store, const Progress& progress) {
    const KitStrokes strokes = measureSessionStrokes(session, store, within(progress, 0.0, 0.5));
    const std::string key = keyOf(recordingsKey(session, store), strokes.strokes);
    if (auto known = knownBy(store, key)) return std::move(*known);
    const KitMics kit = kitMics(session, store);
    const BleedModel model =
        measureCorrected(session, store, kit, strokes.strokes, within(progress, 0.5, 1.0));
    if (model.channels.empty())
        throw Error("No row is a microphone of the kit; say on the Board what the rows are.");
    if (model.drums.empty())
        throw Error(
            "No stroke was found that the kit could be taken apart by; put some in on the "
            "Hits page.");
    std::string hash = keep(store, key, model);
    if (findBleedModel(store, hash) == nullptr)
        throw Error("What the kit was taken apart by could not be kept in “" +
                    store.folder().string() + "”; make room there.");
    return hash;
}

std::string bleedModelFor(const Session& session, AudioStore& store, const Progress& progress) {
    const std::string used = bleedModelOf(session);
    return findBleedModel(store, used) != nullptr ? used : takeApart(session, store, progress);
}

bool isTakenApartAnew(const Session& session, AudioStore& store) {
    const std::set<std::string> models = modelsOf(session);
    if (models.empty()) return true;
    const KitStrokes strokes = measureSessionStrokes(session, store);
    const auto known =
        loadArchive(keyFile(store, keyOf(recordingsKey(session, store), strokes.strokes)));
    return models.size() == 1 && known && *known == *models.begin();
}

std::shared_ptr<const BleedModel> findBleedModel(const AudioStore& store, const std::string& hash) {
    if (!isHash(hash)) return nullptr;
    const fs::path file = modelFile(store.folder(), hash);
    Memory& kept = memory();
    const std::lock_guard lock(kept.mutex);
    if (auto held = kept.held[file.string()].lock()) return held;
    const auto bytes = loadArchive(file);
    if (!bytes) return nullptr;
    try {
        kept.last = std::make_shared<const BleedModel>(bleedModelFrom(*bytes));
    } catch (const Error&) {
        return nullptr;
    }
    kept.held[file.string()] = kept.last;
    return kept.last;
}

namespace {

void copyMissing(const fs::path& from, const fs::path& to) {
    std::error_code code;
    if (fs::exists(to, code) || !fs::exists(from, code)) return;
    fs::create_directories(to.parent_path(), code);
    const fs::path part = to.string() + ".part";
    fs::copy_file(from, part, fs::copy_options::overwrite_existing, code);
    if (!code) fs::rename(part, to, code);
    if (code)
        throw Error("“" + to.string() + "” cannot be written (" + code.message() +
                    "); without it the session forgets how its bleed was taken apart.");
}

}  // namespace

void keepModelsBeside(const Session& session, const AudioStore& store,
                      const fs::path& sessionFile) {
    for (const std::string& hash : modelsOf(session))
        copyMissing(modelFile(store.folder(), hash), modelFile(besideFolder(sessionFile), hash));
}

void bringModelsFrom(const Session& session, const AudioStore& store, const fs::path& sessionFile) {
    for (const std::string& hash : modelsOf(session))
        copyMissing(modelFile(besideFolder(sessionFile), hash), modelFile(store.folder(), hash));
}

}  // namespace ember
