// Curves as JSON values, and back.
#pragma once

#include "core/session/curve.h"
#include "core/session/json_reader.h"

#include <nlohmann/json.hpp>

#include <string>
#include <vector>

namespace ember {

nlohmann::ordered_json curvesToJson(const std::vector<Curve>& curves);
// Curves of a table's parameters, from a field called "curves"; `whose` table it is. Throws Error
// naming the place and the remedy.
std::vector<Curve> readCurves(Reader& in, ParameterTable table, const std::string& whose);

}  // namespace ember
