// The commands that make and measure files of sound: render and loudness.
#pragma once

#include "cli/output.h"
#include "core/engine/render.h"

#include <filesystem>
#include <string>

namespace ember::cli {

struct RenderRequest {
    std::filesystem::path session, mix, stems;
    RenderOptions options;
    std::string depth = "24";
};

// Throw Error when the job fails; a mix without some of its recordings is written, and then is one.
void render(const Output& out, RenderRequest request);
// A mix's loudness for machines, and in a sentence without an end.
Json toJson(const Loudness& loudness);
std::string describe(const Loudness& loudness);
void loudness(const Output& out, const std::filesystem::path& file);

}  // namespace ember::cli
