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

void addVoice(const Voice& voice, int channel, Frames from, int frames, float* out) {
    const Frames first = std::max(from, voice.start), last = std::min(from + frames, voice.end);
    if (first >= last) return;
    const auto& sides = voice.sound->channels;
    const float* samples =
        sides[std::min(sides.size() - 1, static_cast<std::size_t>(channel))].data() +
        (first - voice.start);
    const float gain = channel == 0 ? voice.left : voice.right;
    float* here = out + (first - from);
    const Frames whole = std::clamp<Frames>(voice.cut - first, 0, last - first);
    for (Frames i = 0; i < whole; ++i) here[i] += gain * samples[i];
    const Frames over = std::max<Frames>(1, voice.end - voice.cut);
    for (Frames i = whole; i < last - first; ++i)
        here[i] += gain * fading(first + i - voice.cut, over) * samples[i];
}

void Stack::read(int channel, Frames from, int frames, float* out) const {
    std::fill_n(out, frames, 0.0F);
    auto voice = std::lower_bound(voices_.begin(), voices_.end(), from - longest_,
                                  [](const Voice& v, Frames at) { return v.start < at; });
    for (; voice != voices_.end() && voice->start < from + frames; ++voice)
        addVoice(*voice, channel, from, frames, out);
}

Voice ReadyLayer::voice(std::size_t turn, Frames start, double velocity) const {
    Voice v;
    v.sound = sounds[turn % sounds.size()];
    v.layer = place;
    v.start = start;
    v.end = v.cut = start + static_cast<Frames>(v.sound->frames());
    const double db =
        layer.at(Layer::level) + 0.01 * layer.at(Layer::follow) * levelFromVelocity(velocity);
    const double gain = (layer.is(Layer::polarity) ? -1.0 : 1.0) * gainFromDb(db);
    const PanGains sides = v.sound->channels.size() == 1 ? panMono(layer.at(Layer::pan) / 100.0)
                                                         : panStereo(layer.at(Layer::pan) / 100.0);
    v.left = static_cast<float>(gain * sides.left);
    v.right = static_cast<float>(gain * sides.right);
    return v;
}

bool isStruck(const Layer& layer, const Stroke& s, long& count) {
    const auto rule = static_cast<StruckBy>(std::lround(layer.at(Layer::struckBy)));
    const auto way = static_cast<StruckWay>(std::lround(layer.at(Layer::way)));
    if (way != StruckWay::any && (s.articulation == 0) != (way == StruckWay::usual)) return false;
    if (s.kind == StrokeKind::ghost && layer.is(Layer::spareGhosts)) return false;
    if (s.kind == StrokeKind::flam && layer.is(Layer::spareFlams)) return false;
    const long place = count++, every = std::max(1L, std::lround(layer.at(Layer::every))),
               first = std::lround(layer.at(Layer::first)) - 1;
    switch (rule) {
        case StruckBy::all:
            return true;
        case StruckBy::accents:
            return s.kind == StrokeKind::accent;
        case StruckBy::above:
            return 100.0 * s.velocity >= layer.at(Layer::above);
        case StruckBy::everyNth:
            return place >= first && (place - first) % every == 0;
        case StruckBy::share:
            return 100.0 * lot(layer, s) < layer.at(Layer::share);
    }
    return false;
}

std::vector<std::size_t> struckBy(const Layer& layer, const std::vector<Stroke>& strokes) {
    long count = 0;
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        if (isStruck(layer, strokes[i], count)) out.push_back(i);
    }
    return out;
}

std::vector<ReadyLayer> readyLayers(const Session& session, const Row& row, AudioStore& store,
                                    std::vector<std::string>& problems) {
    const double rate = session.sampleRate;
    std::vector<ReadyLayer> out;
    for (std::size_t l = 0; l < row.layers.size(); ++l) {
        ReadyLayer ready{static_cast<int>(l), row.layers[l], {}, 0, 0};
        const Layer& layer = ready.layer;
        if (!layer.is(Layer::on)) continue;
        for (const Source& sound : layer.sounds) {
            try {
                auto made = layerSound(layer, sound, store, session.sampleRate);
                if (made->frames() > 0) ready.sounds.push_back(std::move(made));
            } catch (const Error& error) {
                problems.push_back(row.name + ": " + error.what());
            }
        }
        if (ready.sounds.empty()) continue;
        ready.late = std::llround(framesFromMs(layer.at(Layer::offset), rate));
        ready.fade = static_cast<Frames>(
            framesFromMs(std::max(kLeastFadeMs, layer.at(Layer::fadeOut)), rate));
        out.push_back(std::move(ready));
    }
    return out;
}

std::shared_ptr<const Stack> makeStack(const Session& session, const Row& row,
                                       const std::vector<ReadyLayer>& layers) {
    const double rate = session.sampleRate;
    const std::vector<Stroke> strokes = playedStrokes(session, row.drum);
    std::vector<Voice> voices;
    for (const ReadyLayer& ready : layers) {
        std::size_t turn = 0;
        for (const std::size_t s : struckBy(ready.layer, strokes)) {
            const auto at = static_cast<Frames>(std::llround(strokes[s].time * rate));
            voices.push_back(ready.voice(turn++, at + ready.late, strokes[s].velocity));
            voices.back().stroke = static_cast<int>(s);
        }
    }
    std::stable_sort(voices.begin(), voices.end(),
                     [](const Voice& a, const Voice& b) { return a.start < b.start; });
    choke(voices, row, rate);
    limit(voices, rate);
    return std::make_shared<const Stack>(std::move(voices));
}

}  // namespace ember
