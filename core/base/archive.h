// Values as bytes in the cache folder: written whole with a checksum in front, and believed only
// where that is right. For this machine and this version; nothing of it is exchanged.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace ember {

class Writer {
  public:
    void raw(const void* data, std::size_t size) {
        bytes_.append(static_cast<const char*>(data), size);
    }
    void resize(const auto& list) {
        const std::size_t size = list.size();
        raw(&size, sizeof size);
    }
    [[nodiscard]] const std::string& bytes() const { return bytes_; }

  private:
    std::string bytes_;
};

// Throws Error where there is less than what is asked for.
class Reader {
  public:
    explicit Reader(std::string_view bytes) : bytes_(bytes) {}
    void raw(void* data, std::size_t size);
    void resize(auto& list) {
        std::size_t size = 0;
        raw(&size, sizeof size);
        need(size);
        list.resize(size);
    }
    // Throws where fewer bytes than that are left.
    void need(std::size_t size) const;

  private:
    std::string_view bytes_;
    std::size_t at_ = 0;
};

// Nothing where the file is missing or damaged.
std::optional<std::string> loadArchive(const std::filesystem::path& file);
// Silent where it cannot be written: it is only a cache.
void keepArchive(const std::filesystem::path& file, std::string_view bytes);

}  // namespace ember
