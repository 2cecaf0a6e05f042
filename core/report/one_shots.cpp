#include "core/report/one_shots.h"

#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/report/cut_samples.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace ember {
namespace fs = std::filesystem;
namespace {

constexpr double kLongestShot = 3.0;  // seconds of a sample

// A folder for what is cut from, gone when this is.
class Scratch {
  public:
    explicit Scratch(fs::path folder) : folder_(std::move(folder)) {}
    ~Scratch() {
        std::error_code code;
        fs::remove_all(folder_, code);
    }
    Scratch(const Scratch&) = delete;
    Scratch& operator=(const Scratch&) = delete;
    [[nodiscard]] const fs::path& folder() const { return folder_; }

  private:
    fs::path folder_;
};

}  // namespace

std::vector<OneShot> chooseOneShots(const Session& session, const std::vector<Stroke>& strokes) {
    std::vector<OneShot> out;
    for (const Drum& drum : session.drums) {
        std::vector<StrokeToCut> alone =
            strokesAlone(strokes, drum.id, kLongestShot, std::numeric_limits<double>::infinity());
        for (StrokeToCut& s : alone) s.unclean = disturbance(strokes, drum.id, s);
        for (const StrokeToCut& s :
             cleanestOfSteps(std::move(alone), kOneShotSteps, kOneShotVariations))
            out.push_back({drum.id, s.time, s.seconds, s.velocity, s.step, s.variation});
    }
    return out;
}

fs::path oneShotFile(const Session& session, const OneShot& shot, const fs::path& folder) {
    return folder / (drumName(session, shot.drum) + " v" + std::to_string(shot.step) + " r" +
                     std::to_string(shot.variation) + ".wav");
}

std::vector<fs::path> cutOneShots(const Session& session, AudioStore& store,
                                  const std::vector<OneShot>& shots, const fs::path& folder,
                                  const Progress& progress) {
    std::vector<fs::path> out;
    const Scratch scratch(folder / ".one-shots.part");
    renderStems(session, store, {}, scratch.folder(),
                [&](double share, const std::string& what) {
                    return !progress || progress(0.8 * share, what);
                },
                {.elements = false, .drums = true});
    std::string held;
    AudioBuffer whole;
    for (const OneShot& shot : shots) {
        report(progress,
               0.8 + 0.2 * static_cast<double>(out.size()) / static_cast<double>(shots.size()),
               "Cutting one-shots");
        if (shot.drum != held) {
            const fs::path stem = scratch.folder() / "drums" / (shot.drum + ".wav");
            held = shot.drum;
            whole = fs::exists(stem) ? readAudio(stem) : AudioBuffer{};
        }
        if (whole.channels.empty()) continue;  // nobody stands at it
        out.push_back(oneShotFile(session, shot, folder));
        protectSources(session, out.back());
        const auto frameOf = [&](double seconds) {
            return std::min(whole.frames(), static_cast<std::size_t>(std::max(
                                                0.0, std::round(seconds * whole.sampleRate))));
        };
        writeAudio(
            out.back(),
            fadedCut(whole, frameOf(shot.time - kCutAhead), frameOf(shot.time + shot.seconds)),
            SampleDepth::float32);
    }
    return out;
}

}  // namespace ember
