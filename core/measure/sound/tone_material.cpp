#include "core/measure/sound/tone_material.h"

#include "core/measure/separate/part_sound.h"
#include "core/measure/sound/rings.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kLongest = 1.2, kShortest = 0.03;  // seconds of a stroke looked at

// Every stroke that struck a head: what rings in every microphone.
std::vector<double> headStrokes(const KitStrokes& all) {
    std::vector<double> out;
    for (const Stroke& s : all.strokes) {
        if (!isMetal(s.drum)) out.push_back(s.time);
    }
    return out;
}

PartSound soundOf(const KitMics& kit, const KitDrum& drum, int mic, std::size_t channel,
                  const BleedModel* model) {
    const MicSignal& signal = kit.mics[static_cast<std::size_t>(mic)];
    const bool own = std::find(drum.mics.begin(), drum.mics.end(), mic) != drum.mics.end();
    const bool told = own && model != nullptr && model->channelOf(signal.id, 0) >= 0;
    const int part = told ? model->drumOf(drum.id) : -1;
    if (part < 0) return {signal, channel};
    return {*model, signal, channel, static_cast<std::size_t>(part)};
}

}  // namespace

ToneMaterial toneMaterial(const KitMics& kit, const KitStrokes& all, const KitDrum& drum, int mic,
                          const std::vector<ClearStroke>& clear, const BleedModel* model) {
    ToneMaterial m;
    m.rate = kit.sampleRate;
    m.family = drum.family;
    const std::vector<Stroke> own = strokesOf(all, drum.id);
    const std::vector<double> heads = headStrokes(all);
    PartSound sound = soundOf(kit, drum, mic, louderChannel(kit, mic, clear), model);
    const auto before = static_cast<std::size_t>(RingMaterial::kBefore * m.rate),
               gap = static_cast<std::size_t>(0.01 * m.rate);
    for (const ClearStroke& c : clear) {
        double length = kLongest;
        for (const Stroke& s : own) {
            if (s.time > c.stroke.time + 0.003) {
                length = std::min(length, s.time - c.stroke.time - 0.002);
                break;
            }
        }
        const auto frames = static_cast<std::size_t>(std::max(0.0, length) * m.rate);
        if (frames < static_cast<std::size_t>(kShortest * m.rate)) continue;
        const auto at = static_cast<Frames>(std::llround(c.stroke.time * m.rate));
        const std::vector<float> heard =
            sound.read(at - static_cast<Frames>(gap + before), before + gap + frames);
        m.before.emplace_back(heard.begin(), heard.begin() + static_cast<std::ptrdiff_t>(before));
        m.strokes.emplace_back(heard.end() - static_cast<std::ptrdiff_t>(frames), heard.end());
        const auto next = std::upper_bound(heads.begin(), heads.end(), c.stroke.time + 0.003);
        const double quietFor = next == heads.end() ? kLongest : *next - c.stroke.time - 0.002;
        m.quiet.push_back(std::min(frames, static_cast<std::size_t>(quietFor * m.rate)));
        m.levelsDb.push_back(c.stroke.levelDb);
    }
    return m;
}

std::vector<std::vector<float>> undisturbed(const ToneMaterial& m, double least) {
    std::vector<std::vector<float>> out;
    for (std::size_t i = 0; i < m.strokes.size(); ++i) {
        if (static_cast<double>(m.quiet[i]) >= least * m.rate)
            out.emplace_back(m.strokes[i].begin(),
                             m.strokes[i].begin() + static_cast<std::ptrdiff_t>(m.quiet[i]));
    }
    return out.size() >= 3 ? out : m.strokes;
}

}  // namespace ember
