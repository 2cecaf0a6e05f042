// Where what kits were taken apart by is kept: in the cache by what it was measured of, and beside
// every session that plays by it, so that a newer version of ours never changes a finished mix.
#pragma once

#include "core/audio/store.h"
#include "core/measure/separate/bleed_model.h"
#include "core/session/session.h"

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

namespace ember {

// Takes the session's microphones apart by its strokes, as found and corrected, or finds what was
// measured before of the same; where strokes were corrected, what was measured by those that were
// found, anew where they differ. Returns its hash. Any thread; throws Error (a kit without
// microphones or strokes, too) or Cancelled.
std::string takeApart(const Session& session, AudioStore& store, const Progress& progress = {});
// The same of microphones by strokes; `recordings`: recordingsKey() of what they are. Null where
// there is nothing to take apart.
std::shared_ptr<const BleedModel> apartBy(const std::string& recordings, const KitMics& kit,
                                          const std::vector<Stroke>& strokes,
                                          const AudioStore& store, const Progress& progress = {});
// What the session's bleed stages play by, where that is there; else what takeApart() says.
std::string bleedModelFor(const Session& session, AudioStore& store, const Progress& progress = {});
// Whether every bleed stage plays by what takeApart() would say now: the recordings, roles and
// strokes are the ones it was measured of. True where nothing is known (it was measured elsewhere).
bool isTakenApartAnew(const Session& session, AudioStore& store);

// What goes by this hash; null where it is not there or damaged. Kept in memory while somebody
// holds it, and the last one always. Any thread.
std::shared_ptr<const BleedModel> findBleedModel(const AudioStore& store, const std::string& hash);

// Files beside a session, in a folder "<its name>.bleed": written when it is saved, brought back
// into the cache when it is opened. Neither overwrites what is there; throw Error where a file that
// is needed cannot be written.
void keepModelsBeside(const Session& session, const AudioStore& store,
                      const std::filesystem::path& sessionFile);
void bringModelsFrom(const Session& session, const AudioStore& store,
                     const std::filesystem::path& sessionFile);

}  // namespace ember
