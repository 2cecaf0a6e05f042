// Any bytes as a session file: an Error with a sentence or a sound document, never anything else.

#include "core/base/error.h"
#include "core/session/file.h"

#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text(reinterpret_cast<const char*>(data), size);
    try {
        const ember::Document document = ember::documentFromJson(text, "fuzz.json");
        // What was read must be sound, and come back the same.
        if (!ember::validate(document.session()).empty()) std::abort();
        if (ember::documentFromJson(ember::toJson(document), "again.json").session() !=
            document.session())
            std::abort();
    } catch (const ember::Error& error) {
        if (std::string(error.what()).empty()) std::abort();
    }
    return 0;
}
