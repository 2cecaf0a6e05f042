#include "core/session/json_reader.h"

namespace ember {

void keepUnknown(nlohmann::ordered_json& json, const std::string& extra) {
    if (extra.empty()) return;
    const nlohmann::ordered_json rest = nlohmann::ordered_json::parse(extra);
    for (const auto& [name, value] : rest.items()) {
        if (!json.contains(name)) json[name] = value;
    }
}

}  // namespace ember
