#include "demo/mix.h"

#include <array>

namespace ember::demo {
namespace {

struct Setting {
    Role role;
    const char* stage;
    const char* parameter;
    double value;
};

// Bands: shape 0 bell, 1 low shelf, 2 high shelf, 3 high-pass.
constexpr std::array kSettings{
    Setting{Role::kickIn, "gate", "threshold", -24.0},
    Setting{Role::kickIn, "gate", "hold", 90.0},
    Setting{Role::kickIn, "gate", "release", 160.0},
    Setting{Role::kickIn, "eq", "b4.on", 1.0},
    Setting{Role::kickIn, "eq", "b4.frequency", 330.0},
    Setting{Role::kickIn, "eq", "b4.gain", -6.0},
    Setting{Role::kickIn, "eq", "b4.q", 1.2},
    Setting{Role::kickIn, "eq", "b6.on", 1.0},
    Setting{Role::kickIn, "eq", "b6.frequency", 3300.0},
    Setting{Role::kickIn, "eq", "b6.gain", 4.0},
    Setting{Role::kickIn, "seat", "level", -2.0},
    Setting{Role::kickOut, "align", "delay", -0.43},
    Setting{Role::kickOut, "eq", "b8.on", 1.0},
    Setting{Role::kickOut, "eq", "b8.frequency", 2500.0},
    Setting{Role::kickOut, "seat", "level", -5.0},
    Setting{Role::snareTop, "gate", "threshold", -30.0},
    Setting{Role::snareTop, "gate", "hysteresis", 8.0},
    Setting{Role::snareTop, "gate", "hold", 80.0},
    Setting{Role::snareTop, "gate", "release", 140.0},
    Setting{Role::snareTop, "gate", "floor", -16.0},
    Setting{Role::snareTop, "gate", "key-high-pass", 140.0},
    Setting{Role::snareTop, "eq", "b1.on", 1.0},
    Setting{Role::snareTop, "eq", "b1.frequency", 90.0},
    Setting{Role::snareTop, "eq", "b4.on", 1.0},
    Setting{Role::snareTop, "eq", "b4.frequency", 571.0},
    Setting{Role::snareTop, "eq", "b4.gain", -7.0},
    Setting{Role::snareTop, "eq", "b4.q", 6.0},
    Setting{Role::snareTop, "eq", "b7.on", 1.0},
    Setting{Role::snareTop, "eq", "b7.frequency", 6500.0},
    Setting{Role::snareTop, "eq", "b7.gain", 3.5},
    Setting{Role::snareTop, "compressor", "threshold", -27.0},
    Setting{Role::snareTop, "compressor", "attack", 6.0},
    Setting{Role::snareTop, "compressor", "make-up", 3.0},
    Setting{Role::snareTop, "seat", "level", -1.0},
    Setting{Role::snareBottom, "align", "polarity", 1.0},
    Setting{Role::snareBottom, "eq", "b1.on", 1.0},
    Setting{Role::snareBottom, "eq", "b1.frequency", 180.0},
    Setting{Role::snareBottom, "seat", "level", -8.0},
    Setting{Role::rackTom, "gate", "threshold", -20.0},
    Setting{Role::rackTom, "gate", "hold", 250.0},
    Setting{Role::rackTom, "gate", "release", 400.0},
    Setting{Role::rackTom, "seat", "pan", 28.0},
    Setting{Role::floorTom, "gate", "threshold", -20.0},
    Setting{Role::floorTom, "gate", "hold", 300.0},
    Setting{Role::floorTom, "gate", "release", 500.0},
    Setting{Role::floorTom, "seat", "pan", -40.0},
    Setting{Role::hat, "eq", "b1.on", 1.0},
    Setting{Role::hat, "eq", "b1.frequency", 400.0},
    Setting{Role::hat, "seat", "level", -6.0},
    Setting{Role::hat, "seat", "pan", 45.0},
    Setting{Role::ride, "eq", "b1.on", 1.0},
    Setting{Role::ride, "eq", "b1.frequency", 350.0},
    Setting{Role::ride, "seat", "level", -8.0},
    Setting{Role::ride, "seat", "pan", -45.0},
    Setting{Role::overhead, "eq", "b1.on", 1.0},
    Setting{Role::overhead, "eq", "b1.frequency", 120.0},
    Setting{Role::overhead, "seat", "level", -3.0},
    Setting{Role::room, "compressor", "threshold", -26.0},
    Setting{Role::room, "compressor", "attack", 5.0},
    Setting{Role::room, "seat", "level", -9.0},
};

}  // namespace

Session demoMix(Session session) {
    for (const Setting& s : kSettings) {
        for (const Row& row : session.rows) {
            if (row.role != s.role || row.kind != RowKind::element) continue;
            session =
                withValue(std::move(session), std::string(row.id), s.stage, s.parameter, s.value);
            break;
        }
    }
    if (findRow(session, "drum-bus") != nullptr) {
        session = withValue(std::move(session), "drum-bus", "compressor", "threshold", -24.0);
        session = withValue(std::move(session), "drum-bus", "compressor", "ratio", 2.0);
        session = withValue(std::move(session), "drum-bus", "compressor", "auto-release", 1.0);
    }
    session.name = "Demo kit";
    return session;
}

}  // namespace ember::demo
