#include "core/engine/pads.h"

#include "core/measure/strokes/kinds.h"

#include <algorithm>
#include <cmath>

namespace ember {

Pads::Pads(std::vector<ReadyLayer> layers)
    : layers_(std::move(layers)), counts_(layers_.size(), 0), turns_(layers_.size(), 0) {}

void Pads::strike(double velocity, int articulation) {
    Stroke stroke;
    stroke.velocity = velocity;
    stroke.levelDb = levelFromVelocity(velocity);
    stroke.kind = kindByLevel(stroke.levelDb);
    stroke.articulation = articulation;
    stroke.time = ++blows_;  // what is struck by chance is not struck by the same chance again
    for (std::size_t l = 0; l < layers_.size(); ++l) {
        const ReadyLayer& layer = layers_[l];
        if (!isStruck(layer.layer, stroke, counts_[l])) continue;
        Voice voice = layer.voice(turns_[l]++, now_ + std::max<Frames>(0, layer.late), velocity);
        voice.stroke = blows_;
        start(layer, voice);
    }
}

void Pads::cutShort(Sounding& s, Frames at) {
    if (at >= s.voice.end || at >= s.voice.cut) return;
    s.voice.cut = at;
    s.voice.end = std::min(s.voice.end, at + s.fade);
}

void Pads::start(const ReadyLayer& layer, const Voice& voice) {
    const int group = static_cast<int>(std::lround(layer.layer.at(Layer::choke)));
    int open = 0;
    Sounding* oldest = nullptr;
    for (std::size_t i = 0; i < count_; ++i) {
        Sounding& s = sounding_[i];
        // A newer stroke ends the older ones of its group.
        if (group > 0 && s.choke == group && s.voice.stroke != voice.stroke)
            cutShort(s, voice.start);
        if (s.voice.cut < s.voice.end) continue;
        ++open;
        if (oldest == nullptr) oldest = &s;
    }
    if (open >= Stack::kMostVoices && oldest != nullptr) cutShort(*oldest, voice.start);
    // Where even what fades leaves no room, the oldest of it goes.
    if (count_ == kMost) leave(0);
    sounding_[count_++] = {voice, group, layer.fade};
}

// The place that is freed keeps no sound: the layers hold it, so nothing is freed here.
void Pads::leave(std::size_t place) {
    std::move(sounding_.begin() + static_cast<std::ptrdiff_t>(place) + 1,
              sounding_.begin() + static_cast<std::ptrdiff_t>(count_),
              sounding_.begin() + static_cast<std::ptrdiff_t>(place));
    sounding_[--count_] = {};
}

void Pads::add(const AudioBlock& out) {
    for (std::size_t i = 0; i < count_; ++i) {
        for (int c = 0; c < out.channels; ++c)
            addVoice(sounding_[i].voice, c, now_, out.frames, out.channel[c]);
    }
    now_ += out.frames;
    for (std::size_t i = count_; i-- > 0;) {
        if (sounding_[i].voice.end <= now_) leave(i);
    }
}

void Pads::adopt(const Pads& other) {
    now_ = other.now_;
    blows_ = other.blows_;
    count_ = 0;
    for (std::size_t i = 0; i < other.count_; ++i) {
        const Voice& voice = other.sounding_[i].voice;
        const bool held = std::any_of(layers_.begin(), layers_.end(), [&](const ReadyLayer& l) {
            return std::find(l.sounds.begin(), l.sounds.end(), voice.sound) != l.sounds.end();
        });
        if (held) sounding_[count_++] = other.sounding_[i];
    }
    for (std::size_t l = 0; l < std::min(turns_.size(), other.turns_.size()); ++l) {
        turns_[l] = other.turns_[l];
        counts_[l] = other.counts_[l];
    }
}

}  // namespace ember
