// What a kit's drums sound like in its microphones, learnt from their strokes: what a bleed model
// is made of, and a second look at the strokes.
#pragma once

#include "core/measure/separate/picture_fit.h"

#include <vector>

namespace ember {

// Before anything is learnt: grid, drums that were struck, channels and hits of a model, with how
// hard they struck.
struct KitFrame {
    BleedModel model;
    std::vector<bool> close;        // by drum: a microphone of its own stands at it
    std::vector<float> velocities;  // by hit
};
KitFrame kitFrame(const KitMics& kit, const std::vector<Stroke>& strokes);

// The last window of a model that ends before a stroke at so many seconds.
std::int64_t windowBefore(const BleedModel& model, double seconds);

class LearntKit {
  public:
    // Listens and learns. The frame has drums and channels. Throws Cancelled.
    LearntKit(const KitMics& kit, KitFrame frame, const Progress& progress);
    LearntKit(const LearntKit&) = delete;  // the fit looks at its members
    LearntKit& operator=(const LearntKit&) = delete;

    [[nodiscard]] const KitFrame& frame() const { return frame_; }
    [[nodiscard]] const PowerMap& powers() const { return powers_; }
    [[nodiscard]] const PictureFit& fit() const { return fit_; }
    // By drum and channel: it stands there; it can be heard there.
    [[nodiscard]] const std::vector<bool>& own() const { return own_; }
    [[nodiscard]] const std::vector<bool>& heard() const { return heard_; }

  private:
    KitFrame frame_;
    PowerMap powers_;
    PictureFit fit_;
    std::vector<bool> own_, heard_;
};

}  // namespace ember
