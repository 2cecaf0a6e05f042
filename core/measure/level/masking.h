// Who is heard among others: simultaneous and forward masking in bands half a Bark wide.
//
// Powers of short windows in critical bands (Bark after Traunmueller, JASA 88(1), 1990) are spread
// along the ear (Schroeder, Atal & Hall, "Optimizing digital speech coders by exploiting masking
// properties of the human ear", JASA 66(6), 1979) and lie 5.5 dB under what masks like noise
// (Johnston, "Transform coding of audio signals using perceptual noise criteria", IEEE JSAC 6(2),
// 1988); behind a masker the threshold falls by 10 dB in 46 ms, which stands for the curves of
// Jesteadt, Bacon & Lehman (JASA 71(4), 1982) at the levels of a mix. Drums are neither noise nor
// tones: tonal maskers hide less than is said here. Pure; any thread.
#pragma once

#include <span>
#include <vector>

namespace ember {

inline constexpr int kEarBands = 46;  // to 14 kHz
// Centre of a band, Hz.
double earBandHertz(int band);

// Powers of a signal, a row of kEarBands for every frame.
struct EarFrames {
    double hopSeconds = 0.0;
    std::vector<float> power;

    [[nodiscard]] int frames() const { return static_cast<int>(power.size()) / kEarBands; }
    [[nodiscard]] std::span<const float> at(int frame) const {
        return std::span(power).subspan(static_cast<std::size_t>(frame) * kEarBands, kEarBands);
    }
};
EarFrames earFrames(std::span<const float> mono, double sampleRate);

// Under which power a sound is not heard beside these, band by band.
EarFrames maskedThreshold(const EarFrames& maskers);

// A signal among what masks it.
struct Audibility {
    double share = 1.0;    // 0..1, of the frames in which it sounds: those in which it is heard
    double overDb = 0.0;   // median of how far its clearest band lies over the threshold there
    double raiseDb = 0.0;  // what would have it heard in kHeardEnough of them; negative: to spare
    bool sounds = false;   // false: it is silent, and nothing is said
    int band = 0;          // where it is most often nearest to being heard while it is not
};
// Below it a member counts as buried, and from kHeardEnough on as heard.
inline constexpr double kBuried = 0.35, kHeardEnough = 0.7;

// `own` and `threshold` of one length (the shorter counts).
Audibility audibilityOf(const EarFrames& own, const EarFrames& threshold);
// In which frames it sounds and is not heard, and the band where it is nearest to it; -1 elsewhere.
std::vector<int> hiddenBands(const EarFrames& own, const EarFrames& threshold);

}  // namespace ember
