#include "core/report/one_shots.h"

#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/report/cut_samples.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace fs = std::filesystem;
namespace {

constexpr double kAloneLeast = 0.12;  // seconds that a stroke has to stand alone
constexpr double kAloneEnough = 0.6;  // from which on longer is no better
constexpr double kLongestShot = 3.0;  // of a sample
constexpr double kStruckTogether = 0.02;

// What others strike while a stroke sounds, and what is missing to standing alone: less is better.
double disturbance(const std::vector<Stroke>& strokes, const Stroke& own, double seconds) {
    double sum = 2.0 * std::max(0.0, kAloneEnough - seconds) / kAloneEnough;
    for (const Stroke& other : strokes) {
        if (other.drum == own.drum || other.time < own.time - kStruckTogether ||
            other.time > own.time + std::min(seconds, kAloneEnough))
            continue;
        sum += other.velocity * other.velocity;
    }
    return sum;
}

struct Choice {
    OneShot shot;
    double disturbed = 0.0;
};

std::vector<Choice> standingAlone(const std::vector<Stroke>& strokes, const std::string& drum) {
    std::vector<Choice> out;
    for (std::size_t s = 0; s < strokes.size(); ++s) {
        const Stroke& stroke = strokes[s];
        if (stroke.drum != drum || stroke.kind == StrokeKind::flam) continue;
        const auto next =
            std::find_if(strokes.begin() + static_cast<std::ptrdiff_t>(s) + 1, strokes.end(),
                         [&](const Stroke& o) { return o.drum == drum && o.time > stroke.time; });
        const double seconds =
            next == strokes.end()
                ? kLongestShot
                : std::min(kLongestShot, next->time - 2.0 * kCutAhead - stroke.time);
        if (seconds < kAloneLeast) continue;
        out.push_back({{drum, stroke.time, seconds, stroke.velocity, 1, 1},
                       disturbance(strokes, stroke, seconds)});
    }
    return out;
}

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
        std::vector<Choice> choices = standingAlone(strokes, drum.id);
        std::stable_sort(choices.begin(), choices.end(), [](const Choice& a, const Choice& b) {
            return a.shot.velocity < b.shot.velocity;
        });
        // As many strokes in each step: steps follow how it was played.
        const std::size_t steps = std::min<std::size_t>(kOneShotSteps, choices.size());
        for (std::size_t i = 0; i < choices.size(); ++i)
            choices[i].shot.step = 1 + static_cast<int>(i * steps / choices.size());
        std::stable_sort(choices.begin(), choices.end(), [](const Choice& a, const Choice& b) {
            return a.shot.step != b.shot.step ? a.shot.step < b.shot.step
                                              : a.disturbed < b.disturbed;
        });
        int step = 0, variation = 0;
        for (const Choice& choice : choices) {
            variation = choice.shot.step == step ? variation + 1 : 1;
            step = choice.shot.step;
            if (variation > kOneShotVariations) continue;
            out.push_back(choice.shot);
            out.back().variation = variation;
        }
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
