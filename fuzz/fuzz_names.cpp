// Any bytes as names of files: a reading within its bounds, and pairs that agree both ways round.

#include "core/measure/who/file_name.h"

#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text(reinterpret_cast<const char*>(data), size);
    const std::string first = text.substr(0, text.find('\n')),
                      second = text.substr(first.size() < text.size() ? first.size() + 1 : 0);
    const ember::NameReading reading = ember::readFileName(first);
    if (!(reading.sure >= 0.0 && reading.sure <= 1.0) || reading.side < -1 || reading.side > 1)
        std::abort();
    const auto one = ember::pairOf(first, second), other = ember::pairOf(second, first);
    if (one.has_value() != other.has_value()) std::abort();
    if (one && *one == *other) std::abort();
    return 0;
}
