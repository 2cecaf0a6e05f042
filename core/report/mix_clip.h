// A few seconds of a mix kept as audio beside the session, so that what was tried is heard as it
// was even when recordings or processors are others by then.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <filesystem>
#include <string>

namespace ember {

inline constexpr double kLongestClip = 15.0;  // seconds

// Renders [from, to) seconds of song time, kLongestClip at most, as it is heard (guests too), into
// `folder`, which is made: FLAC of 24 bits, named by `name` and content, turned down where it would
// clip. Any thread; throws Error or Cancelled, and leaves nothing behind then.
MixClip makeClip(const Session& session, AudioStore& store, const std::string& name, double from,
                 double to, const std::filesystem::path& folder, const Progress& progress = {});

// The clip by itself, where it belongs in the song and looped, to be heard in place of the
// session's mix. Pure.
Session clipAlone(const Session& session, const MixClip& clip, const std::string& name);
// The gain by which it is as loud as the session's mix is there, dB; 0 where that is silent.
// Renders the mix; any thread; throws Error or Cancelled.
double clipGainDb(const Session& session, AudioStore& store, const MixClip& clip,
                  const Progress& progress = {});

}  // namespace ember
