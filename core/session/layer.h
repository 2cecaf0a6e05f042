// Layers: sounds that strokes start. A row that has layers plays them in place of recordings.
#pragma once

#include "core/dsp/parameter.h"
#include "core/session/source.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

// What a layer gives the hit.
enum class LayerPart { body, attack, texture, tail };
// Which strokes of the drum start it.
enum class StruckBy { all, accents, above, everyNth, share };
// Which way of striking it belongs to: a half-open hat, a cross-stick, a bell are the other one.
enum class StruckWay { any, usual, other };

struct Layer {
    // Places in layerTable().
    enum Index {
        on,
        part,
        level,
        pan,
        polarity,
        offset,
        start,
        length,
        fadeIn,
        fadeOut,
        pitch,
        keepLength,
        lowCut,
        highCut,
        slope,
        resonance,
        drive,
        struckBy,
        above,
        every,
        first,
        share,
        way,
        spareGhosts,
        spareFlams,
        follow,
        choke
    };

    std::string id;              // unique in its row: "body", "click-2"
    std::string name;            // what people read
    std::vector<Source> sounds;  // at least one; whole files, near-twins played in turn
    std::vector<double> values;  // by index of layerTable()
    std::string extra = {};      // unknown fields of the file, kept (JSON object text)
    bool operator==(const Layer&) const = default;

    [[nodiscard]] double at(Index index) const { return values[static_cast<std::size_t>(index)]; }
    [[nodiscard]] bool is(Index index) const { return at(index) >= 0.5; }
};

// Everything of a layer that is a number, a choice or a switch. Editor, file, command line and
// logbook read it.
ParameterTable layerTable();

}  // namespace ember
