// Where a command's answer goes: sentences for people, JSON for programs.
#pragma once

#include <nlohmann/json.hpp>

#include <iostream>
#include <string>

namespace ember::cli {

using Json = nlohmann::ordered_json;

struct Output {
    bool json = false;
    // A line for people; silent when a machine reads.
    void say(const std::string& text) const {
        if (!json) std::cout << text << "\n";
    }
    void machine(const Json& value) const {
        if (json) std::cout << value.dump(1, ' ', false, Json::error_handler_t::replace) << "\n";
    }
};

}  // namespace ember::cli
