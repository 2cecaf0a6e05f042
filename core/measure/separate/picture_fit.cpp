#include "core/measure/separate/picture_fit.h"

#include "core/measure/separate/drum_powers.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ember {
namespace {

constexpr int kFirstRounds = 4, kRounds = 15, kLevelRounds = 12, kMomentRounds = 20;
// What is at least left over where the model explains everything.
constexpr float kLeftOver = 0.01F;
// How much evidence a stroke's velocity counts for, against all it left in the microphones; and how
// far from it a stroke may lie as a whole (of the logarithm of power).
constexpr float kVelocityWeight = 0.3F, kFarBelow = -2.0F, kFarAbove = 1.0F;
// How strongly a moment holds to the strokes (in microphones).
constexpr float kStrokeWeight = 0.3F;
// Where what sounds beside the strokes starts from, against a drum's mean: what a close microphone
// hears and no stroke explains is most likely its own drum.
constexpr float kBesideClose = 1.0F, kBesideFar = 0.1F;
constexpr float kTiny = 1e-12F;

float lowPercentile(std::vector<float>& values, double part) {
    const auto at = static_cast<std::ptrdiff_t>(part * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), values.begin() + at, values.end());
    return values[static_cast<std::size_t>(at)];
}

}  // namespace

PictureFit::PictureFit(const PowerMap& powers, const BleedModel& frame,
                       const std::vector<float>& velocities)
    : powers_(powers),
      frame_(frame),
      velocities_(velocities),
      drums_(frame.drums.size()),
      channels_(frame.channels.size()),
      length_(static_cast<std::size_t>(frame.length)),
      bands_(static_cast<std::size_t>(powers.bands)),
      pictures_(drums_ * channels_ * length_ * bands_, kTiny),
      levels_(frame.hits.size() * bands_),
      noise_(channels_ * bands_),
      known_(drums_ * channels_, false),
      over_(powers.channels, powers.windows, powers.bands),
      under_(powers.channels, powers.windows, powers.bands) {}

PictureFit::PictureFit(const PowerMap& powers, const BleedModel& frame,
                       const std::vector<float>& velocities, const BleedModel& known)
    : PictureFit(powers, frame, velocities) {
    const auto take = [](std::vector<float>& to, const std::vector<LogPower>& from) {
        to.resize(from.size());
        std::transform(from.begin(), from.end(), to.begin(), fromLogPower);
    };
    take(pictures_, known.pictures);
    take(levels_, frame.levels);
    take(noise_, known.noise);
    take(balance_, known.balance);
    const std::size_t size = length_ * bands_;
    for (std::size_t i = 0; i < known_.size(); ++i) {
        const auto from = pictures_.begin() + static_cast<std::ptrdiff_t>(i * size);
        known_[i] = std::any_of(from, from + static_cast<std::ptrdiff_t>(size),
                                [](float power) { return power > 2.0F * kTiny; });
    }
    std::vector<float> levels;
    take(levels, known.levels);
    loudest_ = loudestOf(means(known.hits, levels, known.grid.windows));
}

void PictureFit::startLevels() {
    for (std::size_t h = 0; h < frame_.hits.size(); ++h) {
        const float v = std::max(velocities_[h], 0.02F);
        std::fill_n(levels_.begin() + static_cast<std::ptrdiff_t>(h * bands_), bands_, v * v);
    }
    tbb::parallel_for(std::size_t{0}, channels_, [&](std::size_t c) {
        std::vector<float> values;
        for (std::size_t b = 0; b < bands_; ++b) {
            values.clear();
            for (std::int64_t w = 0; w < powers_.windows; w += 1 + powers_.windows / 4000)
                values.push_back(powers_.at(static_cast<int>(c), w)[b]);
            noise_[c * bands_ + b] = lowPercentile(values, 0.05) + 1e-9F;
        }
    });
}

// A drum's picture starts as the quietest fifth of what followed its strokes: what others added is
// hardly in it. `explained`: of what the model leaves over.
void PictureFit::startPictures(int drum, const std::vector<bool>& where, bool explained) {
    std::vector<std::size_t> used;
    for (std::size_t h = 0; h < frame_.hits.size(); ++h) {
        const auto& hit = frame_.hits[h];
        if (hit.drum == drum && hit.window >= 0 && hit.window + frame_.length <= powers_.windows)
            used.push_back(h);
    }
    if (used.empty()) return;
    // Up to 64 of them, spread over the song.
    const std::size_t step = 1 + (used.size() - 1) / 64;
    tbb::parallel_for(std::size_t{0}, channels_, [&](std::size_t c) {
        const int channel = static_cast<int>(c);
        if (known_[static_cast<std::size_t>(drum) * channels_ + c] ||
            !where[static_cast<std::size_t>(drum) * channels_ + c])
            return;
        std::vector<float> values;
        float* to = picture(drum, channel);
        for (std::size_t l = 0; l < length_; ++l) {
            for (std::size_t b = 0; b < bands_; ++b) {
                values.clear();
                for (std::size_t u = 0; u < used.size(); u += step) {
                    const std::int64_t w =
                        frame_.hits[used[u]].window + static_cast<std::int64_t>(l);
                    float power = powers_.at(channel, w)[b];
                    if (explained)
                        power =
                            std::max(power - 1.0F / under_.at(channel, w)[b], kLeftOver * power);
                    values.push_back(power / levels_[used[u] * bands_ + b]);
                }
                to[l * bands_ + b] = std::max(lowPercentile(values, 0.2), kTiny);
            }
        }
    });
}

// What the model makes of every channel.
void PictureFit::explain() {
    tbb::parallel_for(std::size_t{0}, channels_, [&](std::size_t c) {
        const int channel = static_cast<int>(c);
        float* model = under_.at(channel, 0);
        for (std::int64_t w = 0; w < powers_.windows; ++w)
            std::copy_n(noise_.data() + c * bands_, bands_,
                        model + static_cast<std::size_t>(w) * bands_);
        for (std::size_t h = 0; h < frame_.hits.size(); ++h) {
            const auto& hit = frame_.hits[h];
            const float* shape = picture(hit.drum, channel);
            const float* level = levels_.data() + h * bands_;
            eachWindow(hit.window, length_, 0, powers_.windows, [&](std::size_t l, std::size_t w) {
                float* to = model + w * bands_;
                const float* from = shape + l * bands_;
                for (std::size_t b = 0; b < bands_; ++b) to[b] += from[b] * level[b];
            });
        }
        const float* power = powers_.at(channel, 0);
        float* over = over_.at(channel, 0);
        const std::size_t cells = static_cast<std::size_t>(powers_.windows) * bands_;
        for (std::size_t i = 0; i < cells; ++i) {
            const float inverse = 1.0F / model[i];
            over[i] = power[i] * inverse * inverse;
            model[i] = inverse;
        }
    });
}

void PictureFit::moveLevels(const std::vector<std::size_t>& hits) {
    // How far each band counts when a stroke is weighed as a whole.
    std::vector<float> weight(drums_ * bands_, 0.0F);
    for (std::size_t d = 0; d < drums_; ++d) {
        float* to = weight.data() + d * bands_;
        const float* from = picture(static_cast<int>(d), 0);
        for (std::size_t i = 0; i < channels_ * length_; ++i) {
            for (std::size_t b = 0; b < bands_; ++b) to[b] += from[i * bands_ + b];
        }
        float sum = 0.0F;
        for (std::size_t b = 0; b < bands_; ++b) sum += to[b] = std::sqrt(to[b]);
        for (std::size_t b = 0; b < bands_; ++b) to[b] /= std::max(sum, kTiny);
    }
    tbb::parallel_for(std::size_t{0}, hits.size(), [&](std::size_t i) {
        const std::size_t h = hits[i];
        const auto& hit = frame_.hits[h];
        std::vector<float> more(bands_, 0.0F), less(bands_, 0.0F);
        std::size_t cells = 0;
        for (std::size_t c = 0; c < channels_; ++c) {
            const int channel = static_cast<int>(c);
            if (!known_[static_cast<std::size_t>(hit.drum) * channels_ + c]) continue;
            const float* shape = picture(hit.drum, channel);
            const float *over = over_.at(channel, 0), *under = under_.at(channel, 0);
            eachWindow(hit.window, length_, 0, powers_.windows, [&](std::size_t l, std::size_t w) {
                ++cells;
                for (std::size_t b = 0; b < bands_; ++b) {
                    more[b] += shape[l * bands_ + b] * over[w * bands_ + b];
                    less[b] += shape[l * bands_ + b] * under[w * bands_ + b];
                }
            });
        }
        if (cells == 0) return;
        const float v = std::max(velocities_[h], 0.02F), usual = v * v;
        float* level = levels_.data() + h * bands_;
        const float* counts = weight.data() + static_cast<std::size_t>(hit.drum) * bands_;
        float away = 0.0F;
        for (std::size_t b = 0; b < bands_; ++b)
            away += counts[b] * std::log(level[b] / usual + 1e-9F);
        const float centre = usual * std::exp(std::clamp(away, kFarBelow, kFarAbove));
        const float prior = kVelocityWeight * static_cast<float>(cells);
        for (std::size_t b = 0; b < bands_; ++b) {
            const float a = level[b];
            level[b] =
                a * std::sqrt((a * more[b] + prior) / (a * less[b] + prior * a / centre + kTiny));
        }
    });
}

void PictureFit::movePictures() {
    tbb::parallel_for(std::size_t{0}, drums_ * channels_, [&](std::size_t i) {
        const int drum = static_cast<int>(i / channels_), channel = static_cast<int>(i % channels_);
        if (!known_[i]) return;
        std::vector<float> more(length_ * bands_, 0.0F), less(length_ * bands_, 0.0F);
        const float *over = over_.at(channel, 0), *under = under_.at(channel, 0);
        for (std::size_t h = 0; h < frame_.hits.size(); ++h) {
            const auto& hit = frame_.hits[h];
            if (hit.drum != drum) continue;
            const float* level = levels_.data() + h * bands_;
            eachWindow(hit.window, length_, 0, powers_.windows, [&](std::size_t l, std::size_t w) {
                for (std::size_t b = 0; b < bands_; ++b) {
                    more[l * bands_ + b] += level[b] * over[w * bands_ + b];
                    less[l * bands_ + b] += level[b] * under[w * bands_ + b];
                }
            });
        }
        float* shape = picture(drum, channel);
        for (std::size_t k = 0; k < length_ * bands_; ++k)
            shape[k] = std::max(kTiny, shape[k] * std::sqrt(more[k] / (less[k] + kTiny)));
    });
    tbb::parallel_for(std::size_t{0}, channels_, [&](std::size_t c) {
        std::vector<double> more(bands_, 0.0), less(bands_, 0.0);
        const float *over = over_.at(static_cast<int>(c), 0),
                    *under = under_.at(static_cast<int>(c), 0);
        for (std::size_t w = 0; w < static_cast<std::size_t>(powers_.windows); ++w) {
            for (std::size_t b = 0; b < bands_; ++b) {
                more[b] += static_cast<double>(over[w * bands_ + b]);
                less[b] += static_cast<double>(under[w * bands_ + b]);
            }
        }
        for (std::size_t b = 0; b < bands_; ++b)
            noise_[c * bands_ + b] *= static_cast<float>(std::sqrt(more[b] / less[b]));
    });
}

std::vector<float> PictureFit::means(const std::vector<BleedModel::Hit>& hits,
                                     std::span<const float> levels, std::int64_t windows) const {
    std::vector<float> sums(drums_ * bands_, 0.0F), out(drums_ * channels_ * bands_, 0.0F);
    for (std::size_t i = 0; i < levels.size(); ++i)
        sums[static_cast<std::size_t>(hits[i / bands_].drum) * bands_ + i % bands_] += levels[i];
    for (std::size_t i = 0; i < drums_ * channels_; ++i) {
        float* to = out.data() + i * bands_;
        const float* shape = pictures_.data() + i * length_ * bands_;
        for (std::size_t l = 0; l < length_; ++l) {
            for (std::size_t b = 0; b < bands_; ++b) to[b] += shape[l * bands_ + b];
        }
        for (std::size_t b = 0; b < bands_; ++b)
            to[b] *= sums[i / channels_ * bands_ + b] / static_cast<float>(windows);
    }
    return out;
}

std::vector<float> PictureFit::loudestOf(const std::vector<float>& means) const {
    std::vector<float> out(drums_ * bands_, 0.0F);
    for (std::size_t i = 0; i < means.size(); ++i) {
        float& loudest = out[i / (channels_ * bands_) * bands_ + i % bands_];
        loudest = std::max(loudest, means[i]);
    }
    return out;
}

// Each drum's usual balance between the microphones, by band, and its mean where it is loudest.
void PictureFit::weighDrums() {
    balance_ = means(frame_.hits, levels_, powers_.windows);
    loudest_ = loudestOf(balance_);
    for (std::size_t i = 0; i < balance_.size(); ++i)
        balance_[i] /= loudest_[i / (channels_ * bands_) * bands_ + i % bands_] + kTiny;
}

void PictureFit::goRound() {
    std::vector<std::size_t> all(frame_.hits.size());
    std::iota(all.begin(), all.end(), std::size_t{0});
    explain();
    moveLevels(all);
    explain();
    movePictures();
}

void PictureFit::fitLevels(const std::vector<std::size_t>& hits) {
    for (int round = 0; round < kLevelRounds; ++round) {
        explain();
        moveLevels(hits);
    }
}

void PictureFit::learn(const std::vector<bool>& first, const std::vector<bool>& heard,
                       const Progress& progress) {
    const char* what = "learning what each drum sounds like";
    startLevels();
    for (std::size_t d = 0; d < drums_; ++d) startPictures(static_cast<int>(d), first, false);
    known_ = first;
    for (int round = 0; round < kFirstRounds; ++round) {
        report(progress, 0.1 + 0.1 * round / kFirstRounds, what);
        goRound();
    }
    explain();
    for (std::size_t d = 0; d < drums_; ++d) startPictures(static_cast<int>(d), heard, true);
    known_ = heard;
    for (int round = 0; round < kRounds; ++round) {
        report(progress, 0.2 + 0.5 * round / kRounds, what);
        goRound();
    }
    weighDrums();
}

// Some windows of the song, in which every drum is followed: everything by window and band last.
struct PictureFit::Moments {
    std::int64_t first, count;       // windows
    std::size_t cells;               // windows times bands
    std::vector<float> struck;       // [drum][channel]: what its strokes give
    std::vector<float> moved;        // [drum]: how far that is off
    std::vector<float> beside;       // [drum]: what it sounds beside its strokes
    std::vector<float> over, under;  // [channel], as of the whole song
};

PictureFit::Moments PictureFit::startMoments(std::int64_t first, std::int64_t count,
                                             const std::vector<bool>& close) const {
    const std::size_t cells = static_cast<std::size_t>(count) * bands_;
    Moments m{first,
              count,
              cells,
              std::vector<float>(drums_ * channels_ * cells, 0.0F),
              std::vector<float>(drums_ * cells, 1.0F),
              std::vector<float>(drums_ * cells),
              std::vector<float>(channels_ * cells),
              std::vector<float>(channels_ * cells)};
    for (std::size_t h = 0; h < frame_.hits.size(); ++h) {
        const auto& hit = frame_.hits[h];
        const float* level = levels_.data() + h * bands_;
        for (std::size_t c = 0; c < channels_; ++c) {
            const float* shape = picture(hit.drum, static_cast<int>(c));
            float* to =
                m.struck.data() + (static_cast<std::size_t>(hit.drum) * channels_ + c) * cells;
            eachWindow(hit.window, length_, first, count, [&](std::size_t l, std::size_t w) {
                for (std::size_t b = 0; b < bands_; ++b)
                    to[w * bands_ + b] += shape[l * bands_ + b] * level[b];
            });
        }
    }
    for (std::size_t d = 0; d < drums_; ++d) {
        const float share = close[d] ? kBesideClose : kBesideFar;
        for (std::size_t i = 0; i < cells; ++i)
            m.beside[d * cells + i] = share * loudest_[d * bands_ + i % bands_] + kTiny;
    }
    return m;
}

void PictureFit::explainMoments(Moments& m) const {
    for (std::size_t c = 0; c < channels_; ++c) {
        const float* power = powers_.at(static_cast<int>(c), m.first);
        float *o = m.over.data() + c * m.cells, *u = m.under.data() + c * m.cells;
        for (std::size_t i = 0; i < m.cells; i += bands_)
            std::copy_n(noise_.data() + c * bands_, bands_, u + i);
        for (std::size_t d = 0; d < drums_; ++d) {
            const float *s = m.struck.data() + (d * channels_ + c) * m.cells,
                        *f = m.moved.data() + d * m.cells, *e = m.beside.data() + d * m.cells,
                        *g = balance_.data() + (d * channels_ + c) * bands_;
            for (std::size_t i = 0; i < m.cells; i += bands_) {
                for (std::size_t b = 0; b < bands_; ++b)
                    u[i + b] += s[i + b] * f[i + b] + g[b] * e[i + b];
            }
        }
        for (std::size_t i = 0; i < m.cells; ++i) {
            const float inverse = 1.0F / u[i];
            o[i] = power[i] * inverse * inverse;
            u[i] = inverse;
        }
    }
}

void PictureFit::moveMoments(Moments& m) const {
    std::vector<float> strokesMore(m.cells), strokesLess(m.cells), besideMore(m.cells),
        besideLess(m.cells);
    for (std::size_t d = 0; d < drums_; ++d) {
        for (auto* sum : {&strokesMore, &strokesLess, &besideMore, &besideLess})
            std::fill(sum->begin(), sum->end(), 0.0F);
        for (std::size_t c = 0; c < channels_; ++c) {
            const float *s = m.struck.data() + (d * channels_ + c) * m.cells,
                        *g = balance_.data() + (d * channels_ + c) * bands_,
                        *o = m.over.data() + c * m.cells, *u = m.under.data() + c * m.cells;
            for (std::size_t i = 0; i < m.cells; i += bands_) {
                for (std::size_t b = 0; b < bands_; ++b) {
                    strokesMore[i + b] += s[i + b] * o[i + b];
                    strokesLess[i + b] += s[i + b] * u[i + b];
                    besideMore[i + b] += g[b] * o[i + b];
                    besideLess[i + b] += g[b] * u[i + b];
                }
            }
        }
        float *f = m.moved.data() + d * m.cells, *e = m.beside.data() + d * m.cells;
        for (std::size_t i = 0; i < m.cells; ++i) {
            f[i] *= std::sqrt((f[i] * strokesMore[i] + kStrokeWeight) /
                              (f[i] * (strokesLess[i] + kStrokeWeight) + kTiny));
            f[i] = std::clamp(f[i], 0.01F, 1e4F);
            e[i] *= std::sqrt(besideMore[i] / (besideLess[i] + kTiny));
        }
    }
}

void PictureFit::followMoments(const std::vector<bool>& close, BleedModel& into,
                               const Progress& progress) const {
    report(progress, 0.7, "following every drum");
    constexpr std::int64_t kPortion = 128;
    const std::int64_t portions = (powers_.windows + kPortion - 1) / kPortion;
    tbb::parallel_for(std::int64_t{0}, portions, [&](std::int64_t p) {
        const std::int64_t first = p * kPortion;
        Moments m = startMoments(first, std::min(kPortion, powers_.windows - first), close);
        for (int round = 0; round < kMomentRounds; ++round) {
            explainMoments(m);
            moveMoments(m);
        }
        for (std::size_t d = 0; d < drums_; ++d) {
            const std::size_t at =
                (d * static_cast<std::size_t>(powers_.windows) + static_cast<std::size_t>(first)) *
                bands_;
            for (std::size_t i = 0; i < m.cells; ++i) {
                into.moved[at + i] = logPower(m.moved[d * m.cells + i]);
                into.beside[at + i] = logPower(m.beside[d * m.cells + i]);
            }
        }
        report(progress, 0.7 + 0.3 * static_cast<double>(p) / static_cast<double>(portions),
               "following every drum");
    });
}

}  // namespace ember
