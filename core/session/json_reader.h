// Reading JSON of ours: every field by name, within its range, and what nobody asked for kept.
#pragma once

#include "core/base/error.h"

#include <nlohmann/json.hpp>

#include <cmath>
#include <sstream>
#include <string>

namespace ember {

// A JSON object being read: knows where it is, and what of it was understood.
class Reader {
  public:
    Reader(const nlohmann::ordered_json& json, std::string place)
        : json_(json), place_(std::move(place)), rest_(json) {
        if (!json.is_object())
            throw Error(place_ + " should be an object; restore it from a copy or remove it.");
    }

    [[nodiscard]] const std::string& place() const { return place_; }

    const nlohmann::ordered_json* field(const char* name) {
        rest_.erase(name);
        const auto at = json_.find(name);
        return at == json_.end() ? nullptr : &*at;
    }
    std::string text(const char* name, const std::string& standard = {}) {
        const nlohmann::ordered_json* value = field(name);
        if (value == nullptr) return standard;
        if (!value->is_string()) throw fault(name, "a text");
        return value->get<std::string>();
    }
    std::string requiredText(const char* name) {
        std::string value = text(name);
        if (value.empty()) throw fault(name, "a text that is not empty");
        return value;
    }
    double number(const char* name, double standard, double low, double high) {
        const nlohmann::ordered_json* value = field(name);
        if (value == nullptr) return standard;
        const double x = value->is_number() ? value->get<double>() : NAN;
        if (!(x >= low && x <= high)) {
            std::ostringstream range;
            range << "a number from " << low << " to " << high;
            throw fault(name, range.str());
        }
        return x;
    }
    bool flag(const char* name, bool standard) {
        const nlohmann::ordered_json* value = field(name);
        if (value == nullptr) return standard;
        if (!value->is_boolean()) throw fault(name, "true or false");
        return value->get<bool>();
    }
    // Calls each(item, place) for every item of an array field.
    template <typename Each>
    void array(const char* name, Each each) {
        const nlohmann::ordered_json* value = field(name);
        if (value == nullptr) return;
        if (!value->is_array()) throw fault(name, "a list");
        for (std::size_t i = 0; i < value->size(); ++i)
            each((*value)[i], place_ + "." + name + "[" + std::to_string(i) + "]");
    }
    [[nodiscard]] std::string extra() const { return rest_.empty() ? std::string{} : rest_.dump(); }
    [[nodiscard]] Error fault(const char* name, const std::string& wanted) const {
        return Error(place_ + "." + name + " should be " + wanted + "; correct it or remove it.");
    }

  private:
    const nlohmann::ordered_json& json_;
    std::string place_;
    nlohmann::ordered_json rest_;
};

// What a table does not know.
inline Error unknownValue(const std::string& place, const std::string& whose) {
    return Error(place + " is unknown to " + whose + "; remove it.");
}

// Adds the fields that were not understood when reading (the text of an object, or nothing), behind
// the known ones.
void keepUnknown(nlohmann::ordered_json& json, const std::string& extra);

}  // namespace ember
