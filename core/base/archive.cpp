#include "core/base/archive.h"

#include "core/base/error.h"
#include "core/base/hash.h"

#include <algorithm>
#include <fstream>

namespace ember {
namespace {

constexpr std::size_t kHash = 32;  // characters of the checksum in front

}  // namespace

void Reader::need(std::size_t size) const {
    if (size > bytes_.size() - at_) throw Error("What was kept in the cache is cut short.");
}

void Reader::raw(void* data, std::size_t size) {
    need(size);
    std::copy_n(bytes_.data() + at_, size, static_cast<char*>(data));
    at_ += size;
}

std::optional<std::string> loadArchive(const std::filesystem::path& file) {
    std::error_code code;
    const auto size = std::filesystem::file_size(file, code);
    if (code || size < kHash) return std::nullopt;
    std::ifstream in(file, std::ios::binary);
    std::string hash(kHash, '\0'), bytes(static_cast<std::size_t>(size) - kHash, '\0');
    in.read(hash.data(), static_cast<std::streamsize>(hash.size()));
    in.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
    if (!in || hashBytes(bytes) != hash) return std::nullopt;
    return bytes;
}

void keepArchive(const std::filesystem::path& file, std::string_view bytes) {
    const std::filesystem::path part = file.string() + ".part";
    std::ofstream out(part, std::ios::binary);
    out << hashBytes(bytes);
    out.write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
    out.close();
    std::error_code code;
    if (out) {
        std::filesystem::rename(part, file, code);
    } else {
        std::filesystem::remove(part, code);
    }
}

}  // namespace ember
