#include "core/measure/kit_measure.h"

#include "core/base/hash.h"

#include <cstdint>
#include <cstring>
#include <fstream>

namespace ember {
namespace {

// Raise it when strokes are found in another way: old results are then not read any more.
constexpr const char* kVersion = "strokes 1";

std::string cacheName(const Session& session, AudioStore& store) {
    std::string all = std::string(kVersion) + " " + std::to_string(session.sampleRate);
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element) continue;
        all += "\n" + row.id + " " + std::string(toString(row.role));
        for (const Source& s : row.sources)
            all += " " + store.contentHash(s.file) + " " + std::to_string(s.channel) + " " +
                   std::to_string(s.offset);
    }
    return hashBytes(all) + ".strokes";
}

// A plain binary file, written and read on this machine alone.
class Packer {
  public:
    void number(double v) { raw(&v, sizeof v); }
    void text(const std::string& v) {
        number(static_cast<double>(v.size()));
        raw(v.data(), v.size());
    }
    [[nodiscard]] const std::string& bytes() const { return bytes_; }

  private:
    void raw(const void* data, std::size_t size) {
        bytes_.append(static_cast<const char*>(data), size);
    }
    std::string bytes_;
};

class Unpacker {
  public:
    explicit Unpacker(const std::string& bytes) : bytes_(bytes) {}
    double number() {
        double v = 0.0;
        if (at_ + sizeof v > bytes_.size()) throw Error("The cached strokes are cut short.");
        std::memcpy(&v, bytes_.data() + at_, sizeof v);
        at_ += sizeof v;
        return v;
    }
    std::size_t count() {
        const double v = number();
        if (!(v >= 0.0 && v <= static_cast<double>(bytes_.size())))
            throw Error("The cached strokes are damaged.");
        return static_cast<std::size_t>(v);
    }
    std::string text() {
        const std::size_t size = count();
        if (at_ + size > bytes_.size()) throw Error("The cached strokes are cut short.");
        std::string v = bytes_.substr(at_, size);
        at_ += size;
        return v;
    }

  private:
    const std::string& bytes_;
    std::size_t at_ = 0;
};

std::string pack(const KitStrokes& all) {
    Packer out;
    out.number(static_cast<double>(all.strokes.size()));
    for (const Stroke& s : all.strokes) {
        out.number(s.time);
        out.text(s.drum);
        out.text(s.mic);
        out.number(s.velocity);
        out.number(s.levelDb);
        out.text(std::string(toString(s.kind)));
        out.number(s.confidence);
    }
    out.number(static_cast<double>(all.bleed.size()));
    for (const BleedMark& b : all.bleed) {
        out.number(b.time);
        out.text(b.mic);
        out.text(b.drum);
        out.number(b.levelDb);
    }
    return hashBytes(out.bytes()) + out.bytes();
}

KitStrokes unpack(const std::string& file) {
    constexpr std::size_t kHash = 32;
    if (file.size() < kHash ||
        hashBytes(std::string_view(file).substr(kHash)) != file.substr(0, kHash))
        throw Error("The cached strokes are damaged.");
    const std::string bytes = file.substr(kHash);
    Unpacker in(bytes);
    KitStrokes all;
    all.strokes.resize(in.count());
    for (Stroke& s : all.strokes) {
        s.time = in.number();
        s.drum = in.text();
        s.mic = in.text();
        s.velocity = in.number();
        s.levelDb = in.number();
        s.kind = strokeKindFrom(in.text());
        s.confidence = in.number();
    }
    all.bleed.resize(in.count());
    for (BleedMark& b : all.bleed) {
        b.time = in.number();
        b.mic = in.text();
        b.drum = in.text();
        b.levelDb = in.number();
    }
    return all;
}

KitStrokes cachedStrokes(const Session& session, AudioStore& store, const KitMics& kit,
                         const Progress& progress) {
    const std::filesystem::path file = store.folder() / cacheName(session, store);
    if (std::ifstream in(file, std::ios::binary); in) {
        const std::string bytes((std::istreambuf_iterator<char>(in)), {});
        try {
            return unpack(bytes);
        } catch (const Error&) {
            // A damaged cache is measured anew.
        }
    }
    KitStrokes strokes = measureStrokes(kit, progress);
    const std::filesystem::path part = file.string() + ".part";
    std::ofstream out(part, std::ios::binary);
    const std::string bytes = pack(strokes);
    out.write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
    out.close();
    std::error_code code;
    if (out) std::filesystem::rename(part, file, code);
    return strokes;
}

Progress within(const Progress& progress, double from, double to) {
    return [&progress, from, to](double fraction, const std::string& what) {
        return !progress || progress(from + (to - from) * fraction, what);
    };
}

}  // namespace

KitStrokes measureSessionStrokes(const Session& session, AudioStore& store,
                                 const Progress& progress) {
    const KitMics kit = kitMics(session, store, within(progress, 0.0, 0.2));
    return withEdits(cachedStrokes(session, store, kit, within(progress, 0.2, 1.0)),
                     session.strokeEdits);
}

KitMeasurement measureKit(const Session& session, AudioStore& store, const Progress& progress) {
    const KitMics kit = kitMics(session, store, within(progress, 0.0, 0.1));
    KitMeasurement out;
    out.strokes = withEdits(cachedStrokes(session, store, kit, within(progress, 0.1, 0.6)),
                            session.strokeEdits);
    out.bleed = measureBleed(kit, out.strokes);
    out.separation = measureSeparation(kit, out.strokes, within(progress, 0.6, 0.75));
    out.phase = measurePhase(kit, out.strokes, within(progress, 0.75, 0.9));
    out.tone = measureTone(kit, out.strokes, within(progress, 0.9, 1.0));
    return out;
}

}  // namespace ember
