// Curves: how a parameter moves along the song by itself.
//
// Points stand at quarters of the song, so they follow its tempo. From one to the next the value
// holds, goes straight or eases, evenly on the parameter's own scale (octaves for frequencies) and
// in time. Before the first point and behind the last the value stays.
#pragma once

#include "core/base/units.h"
#include "core/dsp/parameter.h"
#include "core/session/time_map.h"

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// How a value goes on from a point to the next: it stays until there, goes straight, or leaves and
// arrives slowly.
enum class CurveShape { hold, line, ease };

struct CurvePoint {
    double quarter = 0.0;  // of the song; where the curve repeats, of the repetition
    double value = 0.0;    // in the parameter's unit and range
    CurveShape shape = CurveShape::line;
    bool operator==(const CurvePoint&) const = default;
};

// The part that a curve has in a movement which several follow (session/movement.h).
struct Together {
    std::string movement;                // its name
    double lowest = 0.0, highest = 0.0;  // where the curve stands at the movement's bottom and top
    bool operator==(const Together&) const = default;
};

struct Curve {
    std::string parameter;  // id in the table of what it moves
    bool on = true;         // off: the value that is set holds
    int bars = 0;           // begins anew every so many bars, counted from bar 1; 0: it does not
    std::vector<CurvePoint> points = {};  // by quarter; two at one quarter are a jump
    std::optional<Together> together = {};
    std::string extra = {};  // unknown fields of the file, kept (JSON object text)
    bool operator==(const Curve&) const = default;
};

inline constexpr std::size_t kMostCurvePoints = 10000;
inline constexpr int kMostCurveBars = 64;
inline constexpr double kLastCurveQuarter = 1e6;     // either way from bar 1
inline constexpr std::size_t kLongestMovement = 60;  // of its name, bytes

std::string_view toString(CurveShape shape);
// Throws Error for an unknown name.
CurveShape curveShapeFrom(std::string_view text);

// One sentence about what is wrong with a curve of this parameter (no points, too many, out of
// range or order, a parameter that no curve may move); empty when sound.
std::string problemIn(const Curve& curve, const Parameter& parameter);

// The points where they stand in the song, a repeating curve as often as it repeats until a second.
std::vector<CurvePoint> pointsAlong(const Curve& curve, const TimeMap& time, double until);

// A curve laid over a song: what it comes to at any frame. A jump is gone through within
// kJumpMs, which begins at its frame. Immutable; reading it is real-time safe.
class CurveLine {
  public:
    static constexpr double kJumpMs = 1.0;
    // `until`: the second up to which a repeating curve repeats; there it stays. The curve must be
    // sound.
    CurveLine(const Curve& curve, const Parameter& parameter, const TimeMap& time, double rate,
              double until);

    [[nodiscard]] double at(double frame) const;
    // The same line, by its hash.
    bool operator==(const CurveLine& other) const { return hash_ == other.hash_; }
    // The values of out.size() frames from `from` on.
    void read(Frames from, std::span<double> out) const;

  private:
    struct Knot {
        double frame = 0.0, position = 0.0;  // position: 0..1 on the parameter's scale
        CurveShape shape = CurveShape::line;
    };
    // The first knot behind a frame, and the position at the frame in front of it.
    [[nodiscard]] std::size_t behind(double frame) const;
    [[nodiscard]] double between(std::size_t next, double frame) const;

    Parameter parameter_;
    std::vector<Knot> knots_;
    std::uint64_t hash_ = 0;
};

}  // namespace ember
