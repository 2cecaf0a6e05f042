// Stages, rows and strokes as JSON values, and back.
#pragma once

#include "core/session/session.h"

#include <nlohmann/json.hpp>

namespace ember {

// A channel of a file, or of a layer's sound the `whole` of it.
nlohmann::ordered_json sourceToJson(const Source& source, bool whole);
nlohmann::ordered_json toJson(const Stage& stage);
nlohmann::ordered_json toJson(const Row& row);
nlohmann::ordered_json toJson(const Layer& layer);
nlohmann::ordered_json toJson(const Stroke& stroke);
nlohmann::ordered_json toJson(const Pattern& pattern);

// Throw Error naming the place ("session.rows[2].chain[0]") and the remedy.
Source sourceFromJson(const nlohmann::ordered_json& json, const std::string& place, bool whole);
Stage stageFromJson(const nlohmann::ordered_json& json, const std::string& place);
Row rowFromJson(const nlohmann::ordered_json& json, const std::string& place);
Layer layerFromJson(const nlohmann::ordered_json& json, const std::string& place);
Stroke strokeFromJson(const nlohmann::ordered_json& json, const std::string& place);
Pattern patternFromJson(const nlohmann::ordered_json& json, const std::string& place);

}  // namespace ember
