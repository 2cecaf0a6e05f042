#include "app/bench/align_wave.h"

#include "core/base/units.h"
#include "core/dsp/align.h"

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

int channelOf(const Clip& clip, const Row& row) {
    return std::min(row.sources[0].channel, clip.channels() - 1);
}

}  // namespace

const Row* alignReference(const Session& session, const Row& row) {
    // The drum bus itself holds rows that have nothing in common but the room.
    const Row* bus = findRow(session, row.parent);
    const bool ownBus = bus != nullptr && bus->kind == RowKind::bus &&
                        findRow(session, bus->parent) != nullptr &&
                        findRow(session, bus->parent)->kind == RowKind::bus;
    for (const Row& other : session.rows) {
        if (ownBus && other.kind == RowKind::element && other.id != row.id &&
            playsRecordings(other) && other.parent == row.parent)
            return &other;
    }
    for (const Row& other : session.rows) {
        if (other.role == Role::overhead && other.id != row.id && playsRecordings(other) &&
            other.kind == RowKind::element)
            return &other;
    }
    return nullptr;
}

std::vector<double> alignedWave(const Clip& clip, const Row& row, Frames from, int frames) {
    const Stage& align = row.chain.front();
    const double rate = clip.sampleRate();
    const double gain = align.on ? gainFromDb(align.values[Align::trim]) *
                                       (align.values[Align::polarity] >= 0.5 ? -1.0 : 1.0)
                                 : 1.0;
    const double delay = (align.on ? framesFromMs(align.values[Align::delay], rate) : 0.0) +
                         row.sources[0].offset * rate;
    const auto samples = clip.channel(channelOf(clip, row));
    std::vector<double> out(static_cast<std::size_t>(frames), 0.0);
    for (int i = 0; i < frames; ++i) {
        const double place = static_cast<double>(from + i) - delay;
        const auto whole = static_cast<Frames>(std::floor(place));
        if (whole < 0 || whole + 1 >= static_cast<Frames>(samples.size())) continue;
        const double part = place - static_cast<double>(whole);
        const auto at = static_cast<std::size_t>(whole);
        out[static_cast<std::size_t>(i)] = gain * ((1.0 - part) * static_cast<double>(samples[at]) +
                                                   part * static_cast<double>(samples[at + 1]));
    }
    return out;
}

LoudestStroke loudestStroke(const Clip& clip, const Row& row, Frames from, Frames to) {
    const auto bins = clip.bins(channelOf(clip, row), 0);
    const auto offset = static_cast<Frames>(row.sources[0].offset * clip.sampleRate());
    const auto binOf = [&](Frames frame) {
        return static_cast<std::size_t>(
            std::clamp<Frames>((frame - offset) / Clip::kBinFrames, 0, std::ssize(bins)));
    };
    LoudestStroke best;
    for (std::size_t i = binOf(from); i < binOf(to); ++i) {
        const float peak = std::max(bins[i].high, -bins[i].low);
        if (peak > best.peak) best = {static_cast<Frames>(i) * Clip::kBinFrames + offset, peak};
    }
    return best;
}

}  // namespace ember::app
