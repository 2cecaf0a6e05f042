#include "core/report/mix_clip.h"

#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/engine/render.h"
#include "core/measure/level/levels.h"
#include "core/report/mix_figures.h"
#include "core/session/file.h"

#include <algorithm>
#include <span>
#include <system_error>
#include <vector>

namespace ember {
namespace fs = std::filesystem;
namespace {

constexpr double kClipsUnderDb = -0.1;  // dBFS, where an integer depth would clip

SignalLevels levelsOf(const AudioBuffer& audio) {
    const std::vector<std::span<const float>> sides(audio.channels.begin(), audio.channels.end());
    return measureLevels(sides, audio.sampleRate, LoudnessDetail::full);
}

}  // namespace

MixClip makeClip(const Session& session, AudioStore& store, const std::string& name, double from,
                 double to, const fs::path& folder, const Progress& progress) {
    to = std::min(to, from + kLongestClip);
    AudioBuffer audio = renderMix(session, store, heardOver(from, to), nullptr, progress);
    if (audio.frames() == 0) throw Error("Nothing sounds there; a clip needs a place in the song.");
    SignalLevels levels = levelsOf(audio);
    if (levels.truePeak > kClipsUnderDb) {
        const double down = kClipsUnderDb - levels.truePeak;
        const auto gain = static_cast<float>(gainFromDb(down));
        for (auto& side : audio.channels) {
            for (float& x : side) x *= gain;
        }
        levels.integrated += down;
    }
    const bool made = makeFolder(folder);
    const fs::path unnamed = folder / (name + ".printing.flac");
    std::error_code failed;
    try {
        writeAudio(unnamed, audio, SampleDepth::pcm24);
        const std::string hash = hashFile(unnamed);
        const fs::path file = folder / (name + " " + hash.substr(0, 12) + ".flac");
        fs::rename(unnamed, file, failed);
        if (failed)
            throw Error("“" + file.string() + "” could not be written (" + failed.message() +
                        "); free space or choose a folder you may write to.");
        MixClip clip{{},
                     from,
                     from + static_cast<double>(audio.frames()) / audio.sampleRate,
                     std::max(levels.integrated, -200.0)};
        for (int side = 0; side < 2; ++side)
            clip.audio.push_back({file.string(), hash, side, from});
        return clip;
    } catch (...) {
        fs::remove(unnamed, failed);
        if (made) fs::remove(folder, failed);  // one that holds something stays
        throw;
    }
}

Session clipAlone(const Session& session, const MixClip& clip, const std::string& name) {
    Session alone;
    alone.name = name;
    alone.sampleRate = session.sampleRate;
    alone.time = session.time;
    alone.loop = {true, clip.from, clip.to};
    Row sound;
    sound.id = "clip";
    sound.name = name;
    sound.kind = RowKind::element;
    sound.role = Role::kit;
    sound.parent = "main";
    sound.sources = clip.audio;
    sound.chain = makeChain(RowKind::element);
    Row main;
    main.id = "main";
    main.name = "Main";
    main.kind = RowKind::main;
    main.chain = makeChain(RowKind::main);
    alone.rows = {std::move(sound), std::move(main)};
    return alone;
}

double clipGainDb(const Session& session, AudioStore& store, const MixClip& clip,
                  const Progress& progress) {
    const AudioBuffer now =
        renderMix(session, store, heardOver(clip.from, clip.to), nullptr, progress);
    const double lufs = now.frames() == 0 ? kSilenceDb : levelsOf(now).integrated;
    return lufs > kSilenceDb && clip.lufs > kSilenceDb ? lufs - clip.lufs : 0.0;
}

}  // namespace ember
