// Files and truth of a simulated recording.

#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/session/file.h"
#include "demo/kit.h"

#include <nlohmann/json.hpp>

#include <cmath>

namespace ember::demo {
namespace fs = std::filesystem;
namespace {

const char* nameOf(StrokeKind kind) {
    switch (kind) {
        case StrokeKind::accent:
            return "accent";
        case StrokeKind::ghost:
            return "ghost";
        case StrokeKind::flam:
            return "flam";
        case StrokeKind::normal:
            break;
    }
    return "normal";
}

fs::path writeWav(const fs::path& path, double rate, std::vector<std::vector<float>> channels) {
    writeAudio(path, {rate, std::move(channels)}, SampleDepth::pcm24);
    return path;
}

}  // namespace

std::string truthJson(const Recording& r) {
    using Json = nlohmann::ordered_json;
    Json out{{"seed", r.options.seed},
             {"sampleRate", r.options.sampleRate},
             {"seconds", r.options.seconds},
             {"tempo", r.options.tempo},
             {"firstBar", 1.2},
             {"roomT60", r.options.roomT60}};
    const Kit& k = r.kit;
    out["drums"] = {{"kick", {{"fundamental", k.kickHz}, {"t60", k.kickT60}}},
                    {"snare",
                     {{"fundamental", k.snareHz},
                      {"t60", k.snareT60},
                      {"rings", {{{"frequency", k.snareRingHz}, {"t60", k.snareRingT60}}}}}},
                    {"tom-1", {{"fundamental", k.rackHz}, {"t60", k.rackT60}}},
                    {"tom-2", {{"fundamental", k.floorHz}, {"t60", k.floorT60}}}};
    Json& mics = out["mics"] = Json::array();
    for (std::size_t m = 0; m < r.mics.size(); ++m) {
        Json mic{{"id", r.mics[m].id}, {"name", r.mics[m].name}};
        for (std::size_t d = 0; d < kDrums; ++d) {
            const DrumInMic& t = r.drumInMic[d][m];
            mic["drums"][kDrumNames[d]] = {
                {"delay_ms", t.delayMs}, {"polarity", t.polarity}, {"level_db", t.levelDb}};
        }
        mics.push_back(std::move(mic));
    }
    Json& strokes = out["strokes"] = Json::array();
    for (const Stroke& s : r.strokes) {
        strokes.push_back({{"time_s", s.time},
                           {"drum", kDrumNames[static_cast<int>(s.drum)]},
                           {"velocity", s.velocity},
                           {"kind", nameOf(s.kind)}});
    }
    return out.dump(1) + "\n";
}

std::vector<fs::path> writeRecording(const Recording& r, const fs::path& folder) {
    std::error_code code;
    fs::create_directories(folder, code);
    if (code)
        throw Error("The folder “" + folder.string() +
                    "” cannot be made: choose one you may write to.");
    std::vector<fs::path> files;
    const double rate = r.options.sampleRate;
    for (std::size_t m = 0; m < r.mics.size(); ++m) {
        const MicTrack& track = r.mics[m];
        // The rooms as one stereo file, as some recorders write them; the overheads as two.
        if (track.id == "room-l") {
            files.push_back(
                writeWav(folder / "Room.wav", rate, {track.signal, r.mics[m + 1].signal}));
            ++m;
            continue;
        }
        files.push_back(writeWav(folder / (track.name + ".wav"), rate, {track.signal}));
    }
    if (!r.bass.empty()) files.push_back(writeWav(folder / "Bass.wav", rate, {r.bass}));
    if (!r.referenceLeft.empty())
        files.push_back(
            writeWav(folder / "Reference.wav", rate, {r.referenceLeft, r.referenceRight}));
    writeAtomically(folder / "truth.json", truthJson(r), false);
    return files;
}

}  // namespace ember::demo
