#include "app/hits/time_line.h"

#include "app/widgets/figures.h"
#include "core/base/error.h"
#include "core/engine/stack.h"
#include "core/measure/strokes/onsets.h"
#include "core/measure/strokes/played.h"
#include "core/session/bleed.h"
#include "core/session/layers.h"
#include "core/session/printed.h"

#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

// Which note of a session's pattern a stroke is; -1: it was heard, or put in by hand.
int noteOf(const Session& session, const Stroke& stroke) {
    return stroke.mic.empty() ? noteAt(session, stroke.drum, stroke.time) : -1;
}

constexpr double kShortest = 0.004;     // seconds across the whole width
constexpr double kGrab = 5.0;           // pixels around a mark
constexpr double kRoundStroke = 0.006;  // a double-click finds the rise within this

}  // namespace

TimeLine::TimeLine(Workspace& workspace, Player& player, Listener& listener, QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), listener_(listener) {
    setObjectName("time-line");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumHeight(160);
    setAccessibleName(tr("Strokes on the time line"));
    connect(&workspace_, &Workspace::opened, this, [this] {
        tracks_.clear();
        fitted_ = false;
        select(std::nullopt);
        readPattern();
        stale_ = true;
        update();
    });
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (diff.structural) {
            readPattern();
            if (isVisible()) openRecordings();
        }
        stale_ = true;
        update();
    });
    connect(&player_, &Player::planReady, this, [this] {
        if (isVisible() && tracks_.empty()) openRecordings();
    });
    connect(&listener_, &Listener::changed, this, [this] {
        readPattern();
        // What is selected may be gone, or be told another kind.
        if (selected_ && (listener_.measured() || selected_->mic.empty())) {
            const std::vector<Stroke> there = all();
            const auto at = std::find_if(there.begin(), there.end(),
                                         [&](const Stroke& s) { return sameAs(s); });
            select(at == there.end() ? std::nullopt : std::optional<Stroke>(*at));
        }
        update();
    });
    connect(&opening_, &QFutureWatcher<void>::finished, this, [this] {
        if (!opened_) return;
        std::size_t next = 0;
        for (Track& track : tracks_) {
            for (auto& part : track.parts) part.first = opened_->clips[next++];
        }
        opened_.reset();
        if (!fitted_ && player_.length() > 0.0) showSong();
        stale_ = true;
        update();
    });
}

void TimeLine::waitForRecordings() {
    opening_.waitForFinished();
}

void TimeLine::openRecordings() {
    std::vector<Track> tracks;
    const Session& session = workspace_.session();
    int group = 0;
    std::vector<Source> wanted;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::bus) ++group;
        if ((row.kind != RowKind::element && row.kind != RowKind::guest) ||
            (row.sources.empty() && row.layers.empty()) || isMade(row))
            continue;
        Track track{row.id, row.name, drumOfRow(session, row.id), group, {}};
        for (const Source& source : row.sources) {
            track.parts.push_back({nullptr, source});
            wanted.push_back(source);
        }
        tracks.push_back(std::move(track));
    }
    const auto same = [](const Track& a, const Track& b) {
        return a.row == b.row && a.name == b.name && a.drum == b.drum && a.hue == b.hue &&
               std::equal(a.parts.begin(), a.parts.end(), b.parts.begin(), b.parts.end(),
                          [](const auto& x, const auto& y) { return x.second == y.second; });
    };
    // Most edits change the mix, not what was recorded.
    if (std::equal(tracks.begin(), tracks.end(), tracks_.begin(), tracks_.end(), same)) return;
    tracks_ = std::move(tracks);
    opening_.waitForFinished();
    opened_ = std::make_shared<Opened>();
    AudioStore* store = &workspace_.store();
    // What was decoded before is only mapped; the first time the player decodes it anyway.
    opening_.setFuture(QtConcurrent::run([store, wanted, rate = session.sampleRate, out = opened_] {
        for (const Source& source : wanted) {
            out->clips.emplace_back();
            try {
                auto clip = store->open(source.file, rate);
                if (source.channel < clip->channels()) out->clips.back() = std::move(clip);
            } catch (const Error&) {
                // The player says which recording is missing; its track stays empty.
            }
        }
    }));
}

// --- The view

void TimeLine::show(double from, double to) {
    const double length = std::max(1.0, player_.length());
    const double span = std::clamp(to - from, kShortest, length);
    from_ = std::clamp(from, 0.0, length - span);
    to_ = from_ + span;
    fitted_ = true;
    stale_ = true;
    update();
    emit viewChanged();
}

void TimeLine::zoom(double factor, double around) {
    factor = std::min(factor, (to_ - from_) / kShortest);
    show(around - (around - from_) / factor, around + (to_ - around) / factor);
}

void TimeLine::showSong() {
    show(0.0, player_.length());
}

void TimeLine::showBar() {
    const Session& s = workspace_.session();
    const int bar = barAt(s.time, selected_ ? selected_->time : player_.position());
    const double from = secondsOfBar(s.time, bar), to = secondsOfBar(s.time, bar + 1);
    show(from - 0.02 * (to - from), to + 0.02 * (to - from));
}

void TimeLine::keepInSight(double seconds) {
    const double span = to_ - from_;
    if (seconds < from_ + 0.05 * span || seconds > to_ - 0.05 * span)
        show(seconds - 0.5 * span, seconds + 0.5 * span);
}

double TimeLine::xAt(double seconds) const {
    return kHead + (width() - kHead) * (seconds - from_) / (to_ - from_);
}

double TimeLine::secondsAt(double x) const {
    return from_ + (x - kHead) / std::max(1.0, width() - kHead) * (to_ - from_);
}

QRectF TimeLine::areaOf(std::size_t track) const {
    const double each =
        (height() - kRuler) / std::max<double>(1.0, static_cast<double>(tracks_.size()));
    return {0.0, kRuler + each * static_cast<double>(track), static_cast<double>(width()), each};
}

double TimeLine::yOf(const std::string& row) const {
    for (std::size_t i = 0; i < tracks_.size(); ++i) {
        if (tracks_[i].row == row) return areaOf(i).center().y();
    }
    return -1.0;
}

const TimeLine::Track* TimeLine::trackAt(double y) const {
    for (std::size_t i = 0; i < tracks_.size(); ++i) {
        const QRectF area = areaOf(i);
        if (y >= area.top() && y < area.bottom()) return &tracks_[i];
    }
    return nullptr;
}

void TimeLine::refreshLook() {
    stale_ = true;
    update();
}

void TimeLine::tick() {
    const int x = static_cast<int>(xAt(player_.position()));
    if (x == playheadAt_) return;
    update(QRect(playheadAt_ - 3, 0, 6, height()));
    playheadAt_ = x;
    update(QRect(x - 3, 0, 6, height()));
}

// --- Strokes

void TimeLine::setFilter(const StrokeFilter& filter) {
    filter_ = filter;
    if (selected_ && !filter_.takes(*selected_)) select(std::nullopt);
    update();
}

void TimeLine::readPattern() {
    const Session& session = workspace_.session();
    notes_ = programmedStrokes(session);
    started_.clear();
    const std::vector<Stroke> there = all();
    for (const Row& row : session.rows) {
        if (row.layers.empty()) continue;
        std::vector<Stroke> strokes;
        for (const Stroke& s : there) {
            if (s.drum == row.drum) strokes.push_back(s);
        }
        std::set<double>& times = started_[row.id];
        for (const Layer& layer : row.layers) {
            if (!layer.is(Layer::on)) continue;
            for (const std::size_t s : struckBy(layer, strokes)) times.insert(strokes[s].time);
        }
    }
}

std::vector<Stroke> TimeLine::all() const {
    std::vector<Stroke> out = notes_;
    if (const auto measured = listener_.measured()) {
        const auto& heard = measured->strokes.strokes;
        out.insert(out.end(), heard.begin(), heard.end());
        std::inplace_merge(out.begin(), out.begin() + std::ssize(notes_), out.end(), earlier);
    }
    return out;
}

std::vector<Stroke> TimeLine::strokes() const {
    std::vector<Stroke> out = all();
    std::erase_if(out, [&](const Stroke& s) { return !filter_.takes(s); });
    return out;
}

std::vector<std::string> TimeLine::drums() const {
    std::vector<std::string> out;
    for (const KitDrum& drum : drumsOf(workspace_.session())) out.push_back(drum.id);
    for (const Row& row : workspace_.session().rows) {
        if (!row.layers.empty() && std::find(out.begin(), out.end(), row.drum) == out.end())
            out.push_back(row.drum);
    }
    return out;
}

QString TimeLine::nameOf(const std::string& drum) const {
    return QString::fromStdString(drumName(workspace_.session(), drum));
}

void TimeLine::select(std::optional<Stroke> stroke) {
    if (stroke == selected_) return;
    selected_ = std::move(stroke);
    if (selected_) {
        setAccessibleDescription(
            tr("%1, %2, at %3 s, velocity %4")
                .arg(nameOf(selected_->drum), QString::fromUtf8(toString(selected_->kind).data()))
                .arg(figure(selected_->time, 3))
                .arg(figure(selected_->velocity, 2)));
    }
    update();
    emit selectionChanged();
}

void TimeLine::step(int direction) {
    const std::vector<Stroke> all = strokes();
    if (all.empty()) return;
    const double at = selected_ ? selected_->time : player_.position();
    const auto later = std::upper_bound(
        all.begin(), all.end(), at, [](double t, const Stroke& s) { return t < s.time - 1e-9; });
    auto place = later;
    if (direction < 0) {
        place = std::lower_bound(all.begin(), all.end(), at,
                                 [](const Stroke& s, double t) { return s.time < t - 1e-9; });
        if (place == all.begin()) return;
        --place;
    }
    if (place == all.end()) return;
    select(*place);
    keepInSight(place->time);
}

void TimeLine::replaceSelected(const Stroke& with, const Session& base,
                               const std::string& gesture) {
    const Stroke old = dragged_ ? *dragged_ : *selected_;
    if (const int note = noteOf(base, old); note >= 0) {
        workspace_.attempt(
            [&] { return withNoteChanged(base, note, with.drum, with.time, with.velocity); },
            gesture);
        // At its tick now.
        const auto nearest =
            std::min_element(notes_.begin(), notes_.end(), [&](const Stroke& a, const Stroke& b) {
                const auto off = [&](const Stroke& s) {
                    return std::abs(s.time - with.time) + (s.drum == with.drum ? 0.0 : 1e6);
                };
                return off(a) < off(b);
            });
        if (nearest != notes_.end()) select(*nearest);
        return;
    }
    Stroke by = with;
    by.byHand = true;
    by.confidence = 1.0;
    listener_.correct(base, {{true, old}, {false, by}}, gesture);
    select(by);
}

void TimeLine::removeSelected() {
    if (!selected_) return;
    const Stroke gone = *selected_;
    if (const int note = noteOf(workspace_.session(), gone); note >= 0)
        workspace_.edit(withoutNote(workspace_.session(), note));
    else
        listener_.correct(workspace_.session(), {{true, gone}});
    select(std::nullopt);
}

void TimeLine::moveSelected(double seconds) {
    if (!selected_) return;
    Stroke moved = *selected_;
    moved.time = std::clamp(moved.time + seconds, 0.0, lastPlace(moved));
    replaceSelected(moved, workspace_.session());
}

void TimeLine::setKind(StrokeKind kind) {
    if (!selected_ || selected_->kind == kind) return;
    Stroke other = *selected_;
    other.kind = kind;
    // What kind a note is follows from how hard it is struck.
    if (noteOf(workspace_.session(), other) >= 0)
        other.velocity = kind == StrokeKind::accent   ? 0.95
                         : kind == StrokeKind::normal ? 0.7
                                                      : 0.25;
    replaceSelected(other, workspace_.session());
}

void TimeLine::setVelocity(double velocity) {
    if (!selected_) return;
    Stroke other = *selected_;
    other.velocity = std::clamp(velocity, 0.02, 1.0);
    if (other.velocity != selected_->velocity) replaceSelected(other, workspace_.session());
}

// The end of the song; notes may be put behind it.
double TimeLine::lastPlace(const Stroke& stroke) const {
    constexpr double kBehind = 16.0;  // seconds
    return player_.length() + (noteOf(workspace_.session(), stroke) >= 0 ? kBehind : 0.0);
}

void TimeLine::setDrum(const std::string& drum) {
    if (!selected_ || selected_->drum == drum) return;
    Stroke other = *selected_;
    other.drum = drum;
    for (const Track& track : tracks_) {
        if (track.drum == drum) {
            other.mic = track.row;
            break;
        }
    }
    replaceSelected(other, workspace_.session());
}

double TimeLine::riseNear(const Track& track, double seconds) const {
    if (track.parts.empty() || !track.parts.front().first) return seconds;
    const auto& [clip, source] = track.parts.front();
    const double rate = clip->sampleRate();
    MicSignal mic;
    mic.channels.push_back(clip->channel(source.channel));
    mic.offset = static_cast<Frames>(std::llround(source.offset * rate));
    const Arrival a =
        findArrival(mic, 0, rate, static_cast<Frames>((seconds - kRoundStroke) * rate),
                    static_cast<Frames>((seconds + kRoundStroke) * rate));
    return a.frame >= 0 ? static_cast<double>(a.frame) / rate : seconds;
}

void TimeLine::addStroke(const std::string& row, double seconds) {
    const auto track =
        std::find_if(tracks_.begin(), tracks_.end(), [&](const Track& t) { return t.row == row; });
    if (track == tracks_.end()) return;
    if (track->parts.empty()) {
        workspace_.attempt([&] {
            return withNote(workspace_.session(), track->drum, std::max(0.0, seconds), 0.7);
        });
        return;
    }
    Stroke stroke;
    // On a track that hears the whole kit the filter says what it is, else a cymbal: that is what
    // such tracks alone hear.
    stroke.drum =
        !track->drum.empty() ? track->drum : (filter_.drum.empty() ? "cymbal" : filter_.drum);
    stroke.mic = row;
    stroke.time = riseNear(*track, seconds);
    stroke.velocity = 0.7;
    stroke.kind = filter_.kind.value_or(StrokeKind::normal);
    stroke.byHand = true;
    stroke.confidence = 1.0;
    listener_.correct(workspace_.session(), {{false, stroke}});
    select(stroke);
}

bool TimeLine::shownOn(const Stroke& stroke, const Track& track) const {
    return track.drum.empty() ? stroke.mic == track.row : stroke.drum == track.drum;
}

std::optional<Stroke> TimeLine::strokeAt(const QPointF& place) const {
    const Track* track = trackAt(place.y());
    if (track == nullptr) return std::nullopt;
    std::optional<Stroke> best;
    double nearest = kGrab;
    for (const Stroke& s : strokes()) {
        const double distance = std::abs(xAt(s.time) - place.x());
        if (shownOn(s, *track) && distance <= nearest) {
            nearest = distance;
            best = s;
        }
    }
    return best;
}

void TimeLine::resizeEvent(QResizeEvent*) {
    stale_ = true;
}

}  // namespace ember::app
