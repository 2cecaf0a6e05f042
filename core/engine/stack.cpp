#include "core/engine/stack.h"

#include "core/base/error.h"
#include "core/base/random.h"
#include "core/dsp/seat.h"
#include "core/measure/strokes/kinds.h"
#include "core/measure/strokes/played.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// What is cut short goes within this at least, so that it does not click.
constexpr double kLeastFadeMs = 2.0;

float fading(Frames at, Frames over) {
    const float t = 1.0F - static_cast<float>(at) / static_cast<float>(over);
    return t * t * (3.0F - 2.0F * t);
}

// The same number between 0 and 1 for the same stroke and layer, however many others there are.
double lot(const Layer& layer, const Stroke& stroke) {
    std::uint64_t seed = 1469598103934665603ULL;
    for (const char c : layer.id) seed = (seed ^ static_cast<unsigned char>(c)) * 1099511628211ULL;
    return Random(seed ^ static_cast<std::uint64_t>(std::llround(stroke.time * 1e5))).uniform();
}

// A voice ends when another stroke starts one of its group.
void choke(std::vector<Voice>& voices, const Row& row, double rate) {
    for (int group = 1; group <= 8; ++group) {
        std::vector<Voice*> members;
        for (Voice& v : voices) {
            const double own = row.layers[static_cast<std::size_t>(v.layer)].at(Layer::choke);
            if (std::lround(own) == group) members.push_back(&v);
        }
        for (std::size_t i = 0; i < members.size(); ++i) {
            Voice& v = *members[i];
            const auto next = std::find_if(
                members.begin() + static_cast<std::ptrdiff_t>(i) + 1, members.end(),
                [&](const Voice* w) { return w->stroke > v.stroke && w->start > v.start; });
            if (next == members.end() || (*next)->start >= v.end) continue;
            const Layer& layer = row.layers[static_cast<std::size_t>(v.layer)];
            const double ms = std::max(kLeastFadeMs, layer.at(Layer::fadeOut));
            v.cut = (*next)->start;
            v.end = std::min(v.end, v.cut + static_cast<Frames>(framesFromMs(ms, rate)));
        }
    }
}

// Where more sound at once than there are voices, the oldest go.
void limit(std::vector<Voice>& voices, double rate) {
    const auto fade = static_cast<Frames>(framesFromMs(kLeastFadeMs, rate));
    std::vector<Voice*> sounding;
    for (Voice& v : voices) {
        std::erase_if(sounding, [&](const Voice* w) { return w->end <= v.start; });
        if (static_cast<int>(sounding.size()) >= Stack::kMostVoices) {
            Voice& oldest = *sounding.front();
            oldest.cut = std::min(oldest.cut, v.start);
            oldest.end = std::min(oldest.end, v.start + fade);
            sounding.erase(sounding.begin());
        }
        sounding.push_back(&v);
    }
}

}  // namespace

Stack::Stack(std::vector<Voice> voices) : voices_(std::move(voices)) {
    std::stable_sort(voices_.begin(), voices_.end(),
                     [](const Voice& a, const Voice& b) { return a.start < b.start; });
    for (const Voice& v : voices_) {
        longest_ = std::max(longest_, v.end - v.start);
        end_ = std::max(end_, v.end);
    }
}

void Stack::read(int channel, Frames from, int frames, float* out) const {
    std::fill_n(out, frames, 0.0F);
    const Frames to = from + frames;
    auto voice = std::lower_bound(voices_.begin(), voices_.end(), from - longest_,
                                  [](const Voice& v, Frames at) { return v.start < at; });
    for (; voice != voices_.end() && voice->start < to; ++voice) {
        const Frames first = std::max(from, voice->start), last = std::min(to, voice->end);
        if (first >= last) continue;
        const auto& sides = voice->sound->channels;
        const float* samples =
            sides[std::min(sides.size() - 1, static_cast<std::size_t>(channel))].data() +
            (first - voice->start);
        const float gain = channel == 0 ? voice->left : voice->right;
        float* here = out + (first - from);
        const Frames whole = std::clamp<Frames>(voice->cut - first, 0, last - first);
        for (Frames i = 0; i < whole; ++i) here[i] += gain * samples[i];
        const Frames over = std::max<Frames>(1, voice->end - voice->cut);
        for (Frames i = whole; i < last - first; ++i)
            here[i] += gain * fading(first + i - voice->cut, over) * samples[i];
    }
}

std::vector<std::size_t> struckBy(const Layer& layer, const std::vector<Stroke>& strokes) {
    const auto rule = static_cast<StruckBy>(std::lround(layer.at(Layer::struckBy)));
    const auto way = static_cast<StruckWay>(std::lround(layer.at(Layer::way)));
    const long every = std::lround(layer.at(Layer::every)),
               first = std::lround(layer.at(Layer::first)) - 1;
    long count = -1;
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        const Stroke& s = strokes[i];
        if (way != StruckWay::any && (s.articulation == 0) != (way == StruckWay::usual)) continue;
        if (s.kind == StrokeKind::ghost && layer.is(Layer::spareGhosts)) continue;
        if (s.kind == StrokeKind::flam && layer.is(Layer::spareFlams)) continue;
        ++count;
        const bool starts =
            rule == StruckBy::all || (rule == StruckBy::accents && s.kind == StrokeKind::accent) ||
            (rule == StruckBy::above && 100.0 * s.velocity >= layer.at(Layer::above)) ||
            (rule == StruckBy::everyNth && count >= first &&
             (count - first) % std::max(1L, every) == 0) ||
            (rule == StruckBy::share && 100.0 * lot(layer, s) < layer.at(Layer::share));
        if (starts) out.push_back(i);
    }
    return out;
}

std::shared_ptr<const Stack> makeStack(const Session& session, const Row& row, AudioStore& store,
                                       std::vector<std::string>& problems) {
    const double rate = session.sampleRate;
    const std::vector<Stroke> strokes = playedStrokes(session, row.drum);
    std::vector<Voice> voices;
    for (std::size_t l = 0; l < row.layers.size(); ++l) {
        const Layer& layer = row.layers[l];
        if (!layer.is(Layer::on)) continue;
        std::vector<std::shared_ptr<const AudioBuffer>> sounds;
        for (const Source& sound : layer.sounds) {
            try {
                auto made = layerSound(layer, sound, store, session.sampleRate);
                if (made->frames() > 0) sounds.push_back(std::move(made));
            } catch (const Error& error) {
                problems.push_back(row.name + ": " + error.what());
            }
        }
        if (sounds.empty()) continue;
        const auto late =
            static_cast<Frames>(std::llround(framesFromMs(layer.at(Layer::offset), rate)));
        std::size_t turn = 0;
        for (const std::size_t s : struckBy(layer, strokes)) {
            Voice v;
            v.sound = sounds[turn++ % sounds.size()];
            v.layer = static_cast<int>(l);
            v.stroke = static_cast<int>(s);
            v.start = static_cast<Frames>(std::llround(strokes[s].time * rate)) + late;
            v.end = v.cut = v.start + static_cast<Frames>(v.sound->frames());
            const double db = layer.at(Layer::level) + 0.01 * layer.at(Layer::follow) *
                                                           levelFromVelocity(strokes[s].velocity);
            const double gain = (layer.is(Layer::polarity) ? -1.0 : 1.0) * gainFromDb(db);
            const PanGains sides = v.sound->channels.size() == 1
                                       ? panMono(layer.at(Layer::pan) / 100.0)
                                       : panStereo(layer.at(Layer::pan) / 100.0);
            v.left = static_cast<float>(gain * sides.left);
            v.right = static_cast<float>(gain * sides.right);
            voices.push_back(std::move(v));
        }
    }
    std::stable_sort(voices.begin(), voices.end(),
                     [](const Voice& a, const Voice& b) { return a.start < b.start; });
    choke(voices, row, rate);
    limit(voices, rate);
    return std::make_shared<const Stack>(std::move(voices));
}

}  // namespace ember
