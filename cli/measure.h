// The commands that listen: measure and advise.
#pragma once

#include <filesystem>
#include <set>
#include <string>

namespace ember::cli {

struct MeasureRequest {
    std::filesystem::path session, out;  // `out` empty: standard output
    std::set<std::string> parts;
    bool json = false;
};
void measure(const MeasureRequest& request);

struct AdviseRequest {
    std::filesystem::path session, out;
    std::set<std::string> steps;   // empty: all
    std::set<std::string> accept;  // ids, or "all"
    std::string align = "drum", gate = "strokes";
    bool json = false;
};
void advise(const AdviseRequest& request);

}  // namespace ember::cli
