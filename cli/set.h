// The command that sets one thing of a session: set SESSION ROW WHAT VALUE.
#pragma once

#include "cli/output.h"
#include "core/session/session.h"

#include <filesystem>
#include <string>

namespace ember::cli {

// A row by its id, or by its name in any case. Throws Error naming what there is.
const Row& rowByIdOrName(const Session& session, const std::string& text);

// Sets `what` of a row ("gate.threshold", "bleed.kick", "mute", "role", "note" of a drum ...) and
// saves. Throws Error; then nothing was changed.
void set(const Output& out, const std::filesystem::path& file, const std::string& element,
         const std::string& what, const std::string& value);

}  // namespace ember::cli
