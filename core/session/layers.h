// Edits of layers: stacks of sounds under a drum.
#pragma once

#include "core/session/session.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

const Layer* findLayer(const Row& row, std::string_view id);
// Throw Error naming what there is instead.
Layer& requireLayer(Row& row, std::string_view id);

// Layer id from a name, unique among others.
std::string makeLayerId(const std::vector<Layer>& among, std::string_view name);
// A layer with the defaults of the table.
Layer makeLayer(std::string id, std::string name, std::vector<Source> sounds);
// What a sound is called by its file: "kick_deep-02.wav" is "Kick deep 02".
std::string soundName(const std::string& file);

// A row of layers that the strokes of a drum start, in the bus of the drum's microphones and behind
// them on the Board; `name` empty: "<Drum> Layers". Throws Error for an unknown drum and without
// sounds.
NewRow withLayerRow(Session session, std::string_view drum, const std::vector<Source>& sounds,
                    const std::string& name = {});
// Takes an element, guest or reference away; what listened to it listens to itself. Throws Error
// for buses and the main.
Session withRowRemoved(Session session, std::string_view row);

// A layer more for a row that has layers; sounds beyond one are near-twins of it. Throws Error for
// rows that play recordings: their drum gets a row of layers beside it.
Session withLayerAdded(Session session, std::string_view row, std::vector<Source> sounds,
                       const std::string& name = {});
// Throws Error for the last layer: then the row is to be removed.
Session withLayerRemoved(Session session, std::string_view row, std::string_view layer);
Session withLayerCopied(Session session, std::string_view row, std::string_view layer);
Session withLayerName(Session session, std::string_view row, std::string_view layer,
                      std::string name);
// Throws Error for unknown names and values out of range.
Session withLayerValue(Session session, std::string_view row, std::string_view layer,
                       std::string_view parameter, double value);
// Other sounds in place of a layer's. Throws Error without any.
Session withLayerSounds(Session session, std::string_view row, std::string_view layer,
                        std::vector<Source> sounds);

// A note of the pattern, found again by its drum and its second (to a microsecond); -1: none.
int noteAt(const Session& session, std::string_view drum, double seconds);
// The session with a note more; its tick is the nearest one to `seconds` of song time, at or after
// bar 1. Throws Error for a velocity outside 0..1.
Session withNote(Session session, std::string_view drum, double seconds, double velocity,
                 int articulation = 0);
Session withoutNote(Session session, int note);
// The session with a note elsewhere, on another drum or of another velocity; its length and what
// else it holds stay. A note on another drum has no MIDI key of its own any more. Throws Error as
// withNote() does, and where there is no such note.
Session withNoteChanged(Session session, int note, std::string_view drum, double seconds,
                        double velocity);

// What a MIDI key strikes in this session: by its own list, or by General MIDI among its drums.
KeyMapping mappingOf(const Session& session, int key);

}  // namespace ember
