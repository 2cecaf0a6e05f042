// What kinds, roles, marks and styles are called, in files and to a person; ways of working, wanted
// notes and budgets, which go by such names.

#include "core/base/error.h"
#include "core/session/session.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <type_traits>
#include <utility>

namespace ember {
namespace {

template <typename Enum, std::size_t N>
using Names = std::array<std::pair<Enum, std::string_view>, N>;

constexpr Names<RowKind, 5> kKinds{{{RowKind::element, "element"},
                                    {RowKind::guest, "guest"},
                                    {RowKind::reference, "reference"},
                                    {RowKind::bus, "bus"},
                                    {RowKind::main, "main"}}};
constexpr Names<Mark, 3> kMarks{
    {{Mark::untouched, "untouched"}, {Mark::proposed, "proposed"}, {Mark::decided, "decided"}}};
constexpr Names<TargetStrokes, 3> kTargetStrokes{{{TargetStrokes::loudest, "loudest"},
                                                  {TargetStrokes::usual, "usual"},
                                                  {TargetStrokes::all, "all"}}};
constexpr Names<Style, 7> kStyles{{{Style::any, "any"},
                                   {Style::pop, "pop"},
                                   {Style::rock, "rock"},
                                   {Style::heavy, "heavy"},
                                   {Style::soul, "soul"},
                                   {Style::jazz, "jazz"},
                                   {Style::electronic, "electronic"}}};
constexpr Names<Verdict, 4> kVerdicts{{{Verdict::open, "open"},
                                       {Verdict::better, "better"},
                                       {Verdict::worse, "worse"},
                                       {Verdict::same, "same"}}};
constexpr Names<Column, 8> kSteps{{{Column::align, "align"},
                                   {Column::gate, "gate"},
                                   {Column::repair, "repair"},
                                   {Column::dynamics, "dynamics"},
                                   {Column::colour, "colour"},
                                   {Column::layers, "layers"},
                                   {Column::seat, "seat"},
                                   {Column::sends, "sends"}}};
constexpr Names<Role, 22> kRoles{{{Role::unknown, "unknown"},
                                  {Role::kickIn, "kick-in"},
                                  {Role::kickOut, "kick-out"},
                                  {Role::kick, "kick"},
                                  {Role::snareTop, "snare-top"},
                                  {Role::snareBottom, "snare-bottom"},
                                  {Role::snare, "snare"},
                                  {Role::hat, "hat"},
                                  {Role::rackTom, "rack-tom"},
                                  {Role::floorTom, "floor-tom"},
                                  {Role::tom, "tom"},
                                  {Role::ride, "ride"},
                                  {Role::crash, "crash"},
                                  {Role::overhead, "overhead"},
                                  {Role::room, "room"},
                                  {Role::percussion, "percussion"},
                                  {Role::kit, "kit"},
                                  {Role::sample, "sample"},
                                  {Role::loop, "loop"},
                                  {Role::trigger, "trigger"},
                                  {Role::bass, "bass"},
                                  {Role::reference, "reference"}}};

template <typename Enum, std::size_t N>
std::string_view nameOf(const Names<Enum, N>& names, Enum value) {
    for (const auto& [key, name] : names) {
        if (key == value) return name;
    }
    return "unknown";
}

template <typename Enum, std::size_t N>
Enum valueOf(const Names<Enum, N>& names, std::string_view text, const char* what) {
    std::string known;
    for (const auto& [key, name] : names) {
        if (name == text) return key;
        known += (known.empty() ? "" : ", ") + std::string(name);
    }
    throw Error("“" + std::string(text) + "” is no " + what + "; known are " + known + ".");
}

}  // namespace

std::string_view toString(RowKind kind) {
    return nameOf(kKinds, kind);
}
std::string_view toString(Role role) {
    return nameOf(kRoles, role);
}
std::string_view toString(Mark mark) {
    return nameOf(kMarks, mark);
}
std::string_view toString(TargetStrokes strokes) {
    return nameOf(kTargetStrokes, strokes);
}
std::string_view toString(Style style) {
    return nameOf(kStyles, style);
}
std::string_view toString(Verdict verdict) {
    return nameOf(kVerdicts, verdict);
}
std::string_view toString(Column step) {
    return nameOf(kSteps, step);
}
Column stepFrom(std::string_view text) {
    return valueOf(kSteps, text, "step");
}
std::string_view verdictLabel(Verdict verdict) {
    return verdict == Verdict::open ? "no verdict" : toString(verdict);
}
Verdict verdictFrom(std::string_view text) {
    return valueOf(kVerdicts, text, "verdict");
}
Style styleFrom(std::string_view text) {
    return valueOf(kStyles, text, "style");
}
TargetStrokes targetStrokesFrom(std::string_view text) {
    return valueOf(kTargetStrokes, text, "choice of strokes");
}
RowKind rowKindFrom(std::string_view text) {
    return valueOf(kKinds, text, "kind of row");
}
Role roleFrom(std::string_view text) {
    return valueOf(kRoles, text, "role");
}
Mark markFrom(std::string_view text) {
    return valueOf(kMarks, text, "mark");
}

std::string_view roleLabel(Role role) {
    switch (role) {
        case Role::kickIn:
            return "kick in";
        case Role::kickOut:
            return "kick out";
        case Role::snareTop:
            return "snare top";
        case Role::snareBottom:
            return "snare bottom";
        case Role::rackTom:
            return "rack tom";
        case Role::floorTom:
            return "floor tom";
        case Role::overhead:
            return "overheads";
        case Role::kit:
            return "whole kit";
        case Role::loop:
            return "loop or break";
        default:
            return toString(role);
    }
}

std::string roleTitle(Role role) {
    std::string title(role == Role::overhead ? "overhead" : roleLabel(role));
    bool first = true;
    for (char& c : title) {
        if (first) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
        first = c == ' ';
    }
    return title;
}

std::string_view styleLabel(Style style) {
    switch (style) {
        case Style::heavy:
            return "heavy rock";
        case Style::soul:
            return "soul and funk";
        case Style::electronic:
            return "electronic music";
        default:
            return toString(style);
    }
}

namespace {

// A way of working as the place among its names.
struct WayField {
    std::size_t (*get)(const Ways&);
    void (*set)(Ways&, std::size_t);
};
template <auto Field>
constexpr WayField wayField() {
    using Way = std::remove_reference_t<decltype(std::declval<Ways&>().*Field)>;
    return {[](const Ways& ways) { return static_cast<std::size_t>(ways.*Field); },
            [](Ways& ways, std::size_t way) { ways.*Field = static_cast<Way>(way); }};
}
constexpr std::array kWayFields{wayField<&Ways::align>(),  wayField<&Ways::gate>(),
                                wayField<&Ways::eq>(),     wayField<&Ways::dynamics>(),
                                wayField<&Ways::colour>(), wayField<&Ways::bus>(),
                                wayField<&Ways::bleed>()};

std::size_t stepIndex(std::string_view step) {
    const auto& steps = waysByStep();
    std::string list;
    for (std::size_t i = 0; i < steps.size(); ++i) {
        if (steps[i].first == step) return i;
        list += (list.empty() ? "" : ", ") + steps[i].first;
    }
    throw Error("“" + std::string(step) + "” has no ways of working; known are " + list + ".");
}

}  // namespace

const std::vector<std::pair<std::string, std::vector<std::string>>>& waysByStep() {
    static const std::vector<std::pair<std::string, std::vector<std::string>>> steps{
        {"align", {"within-drum", "to-overheads"}},
        {"gate", {"by-strokes", "by-level"}},
        {"eq", {"first", "later"}},
        {"dynamics", {"punch", "density", "pair"}},
        {"colour", {"clean", "coloured"}},
        {"bus", {"glue", "parallels"}},
        {"bleed", {"natural", "clean"}}};
    return steps;
}

std::size_t wayOf(const Ways& ways, std::string_view step) {
    return kWayFields[stepIndex(step)].get(ways);
}

double noteTarget(const Session& session, std::string_view drum) {
    for (const NoteTarget& n : session.notes) {
        if (n.drum == drum) return n.hertz;
    }
    return 0.0;
}

Session withNoteTarget(Session session, std::string_view drum, double hertz) {
    if (hertz != 0.0 && !(hertz >= 20.0 && hertz <= 1000.0))
        throw Error("The note of the " + drumName(session, drum) + " can be 20 to 1000 Hz.");
    std::erase_if(session.notes, [&](const NoteTarget& n) { return n.drum == drum; });
    if (hertz > 0.0) session.notes.push_back({std::string(drum), hertz});
    return session;
}

double stepBudget(const Session& session, Column step) {
    for (const StepBudget& b : session.budgets) {
        if (b.step == step) return b.minutes;
    }
    return 0.0;
}

Session withStepBudget(Session session, Column step, double minutes) {
    if (!(minutes >= 0.0 && minutes <= 10000.0))
        throw Error("A step may take 0 (as long as it takes) to 10 000 minutes.");
    std::erase_if(session.budgets, [&](const StepBudget& b) { return b.step == step; });
    if (minutes > 0.0) session.budgets.push_back({step, minutes});
    return session;
}

Session withWay(Session session, std::string_view step, std::string_view way) {
    const std::size_t index = stepIndex(step);
    const std::vector<std::string>& names = waysByStep()[index].second;
    std::string list;
    for (std::size_t i = 0; i < names.size(); ++i) {
        if (names[i] == way) {
            kWayFields[index].set(session.ways, i);
            return session;
        }
        list += (list.empty() ? "" : ", ") + names[i];
    }
    throw Error("“" + std::string(way) + "” is no way of working in " + std::string(step) +
                "; known are " + list + ".");
}

}  // namespace ember
