#include "app/layers/pads.h"

#include "app/theme/theme.h"
#include "app/widgets/labels.h"
#include "core/session/drum.h"
#include "core/session/layers.h"

#include <QKeyEvent>
#include <QPainter>
#include <QSettings>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

namespace ember::app {
namespace {

constexpr int kShownMs = 160;
constexpr const char* kInput = "pads-midi";  // in the settings
constexpr std::array kKeys{Qt::Key_A, Qt::Key_S, Qt::Key_D, Qt::Key_F, Qt::Key_G, Qt::Key_H,
                           Qt::Key_J, Qt::Key_K, Qt::Key_L, Qt::Key_Q, Qt::Key_W, Qt::Key_E,
                           Qt::Key_R, Qt::Key_T, Qt::Key_U, Qt::Key_I};

double strengthOf(Qt::KeyboardModifiers modifiers) {
    return modifiers.testFlag(Qt::ShiftModifier) ? PadBoard::kHard
           : modifiers.testFlag(Qt::AltModifier) ? PadBoard::kSoft
                                                 : PadBoard::kUsual;
}

}  // namespace

Pad::Pad(const QString& name, Qt::Key key, QWidget* parent) : QAbstractButton(parent), key_(key) {
    const QString letter = QKeySequence(key).toString();
    setText(name);
    setAccessibleName(tr("%1, key %2").arg(name, letter));
    setToolTip(tr("Strikes %1: the higher it is pressed, the harder; %2 by keys, with Shift hard, "
                  "with Alt softly.")
                   .arg(name, letter));
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    fade_.setSingleShot(true);
    fade_.setInterval(kShownMs);
    connect(&fade_, &QTimer::timeout, this, [this] {
        shown_ = 0.0;
        update();
    });
}

void Pad::strike(double velocity) {
    shown_ = velocity;
    fade_.start();
    update();
    emit struck(velocity);
}

void Pad::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return event->ignore();
    setFocus(Qt::MouseFocusReason);
    strike(std::clamp(1.0 - event->position().y() / height(), 0.1, 1.0));
}

void Pad::keyPressEvent(QKeyEvent* event) {
    const bool own = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter;
    if (!own) return event->ignore();  // the board knows its letter
    if (!event->isAutoRepeat()) strike(strengthOf(event->modifiers()));
}

void Pad::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Palette& p = colours();
    const QRectF area = QRectF(rect()).adjusted(1, 1, -1, -1);
    painter.fillRect(area, p.stave);
    // A stroke's wedge, as the Hits page draws it: how high it is pressed is how hard it is struck.
    const QRectF wedge = area.adjusted(12, 9, -12, -27);
    const auto upTo = [&](double share) {
        const double top = wedge.bottom() - share * wedge.height(), half = 14.0 * share,
                     middle = wedge.left() + 14.0;
        return QPolygonF({{middle - half, top}, {middle + half, top}, {middle, wedge.bottom()}});
    };
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(p.hoop);
    painter.drawPolygon(upTo(1.0));
    painter.setBrush(p.ember);
    if (shown_ > 0.0) painter.drawPolygon(upTo(shown_));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(hasFocus() || shown_ > 0.0 ? p.ember : p.hoop, hasFocus() ? 1.8 : 1.0));
    painter.drawRect(area);
    painter.setPen(p.chalk);
    painter.drawText(
        area.adjusted(10, 0, -6, -6), Qt::AlignLeft | Qt::AlignBottom,
        fontMetrics().elidedText(text(), Qt::ElideRight, static_cast<int>(area.width()) - 16));
    painter.setPen(p.quiet);
    painter.drawText(area.adjusted(8, 6, -10, 0), Qt::AlignRight | Qt::AlignTop,
                     QKeySequence(key_).toString());
}

PadBoard::PadBoard(Workspace& workspace, Player& player, PadOptions options, QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), options_(std::move(options)) {
    setObjectName("pads");
    setAccessibleName(tr("Pads"));
    setFocusPolicy(Qt::StrongFocus);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    line_ = new QHBoxLayout;
    line_->setSpacing(6);
    box->addLayout(line_);
    auto* below = new QHBoxLayout;
    keep_ = new QCheckBox(tr("Keep what I play"), this);
    keep_->setObjectName("pads-keep");
    keep_->setToolTip(
        tr("What is struck while the song plays becomes notes of the pattern when it stops, or "
           "when this is taken away: one edit, that undo takes back."));
    connect(keep_, &QCheckBox::toggled, &player_, &Player::setKeeping);
    below->addWidget(keep_);
    click_ = choice(tr("Click"), "pads-click",
                    tr("A click on every beat, higher on the first of a bar, while the song plays "
                       "and the pads are open. It is in no mix."),
                    &Player::setClick);
    below->addWidget(click_);
    countIn_ = choice(tr("Count in"), "pads-count-in",
                      tr("With “Keep what I play”, the song begins behind a bar of click. What is "
                         "struck in the last quarter of a second of it is played with the "
                         "beginning."),
                      &Player::setCountIn);
    below->addWidget(countIn_);
    midi_ = new QComboBox(this);
    midi_->setObjectName("pads-midi");
    midi_->addItem(tr("No MIDI input"), QString());
    midi_->setAccessibleName(tr("MIDI input"));
    midi_->setToolTip(
        tr("A keyboard or pads that strike these: a key strikes the drum that it is "
           "in General MIDI, or in this session's own list of notes."));
    midi_->setMaximumWidth(190);
    connect(midi_, &QComboBox::activated, this,
            [this] { openInput(midi_->currentData().toString()); });
    connect(&inputs_, &QFutureWatcher<std::vector<std::string>>::finished, this,
            &PadBoard::fillInputs);
    below->addWidget(midi_);
    auto* words = quietLabel(this, "pads-words");
    words->setText(
        tr("Pressed higher, struck harder. Letters strike at the usual strength, with "
           "Shift hard, with Alt softly. A layer answers by its own rules."));
    below->addWidget(words, 1);
    box->addLayout(below);
    connect(&player_, &Player::played, this, &PadBoard::keep);
    connect(&workspace_, &Workspace::opened, this, [this] { keep_->setChecked(false); });
    connect(&workspace_, &Workspace::opened, this, &PadBoard::refresh);
    connect(&workspace_, &Workspace::changed, this, &PadBoard::refresh);
    refresh();
}

PadBoard::~PadBoard() {
    input_.reset();  // it strikes from a thread of its own
    inputs_.waitForFinished();
}

QCheckBox* PadBoard::choice(const QString& text, const char* name, const QString& what,
                            void (Player::*set)(bool)) {
    auto* box = new QCheckBox(text, this);
    box->setObjectName(name);
    box->setToolTip(what);
    connect(box, &QCheckBox::toggled, this, [this, set, name](bool on) {
        (player_.*set)(on && isVisible());
        if (options_.remember) QSettings().setValue(name, on);
    });
    return box;
}

// --- MIDI ---------------------------------------------------------------------------

void PadBoard::fillInputs() {
    const QString chosen = input_ != nullptr   ? midi_->currentData().toString()
                           : options_.remember ? QSettings().value(kInput).toString()
                                               : QString();
    while (midi_->count() > 1) midi_->removeItem(1);
    for (const std::string& name : inputs_.result())
        midi_->addItem(QString::fromStdString(name), QString::fromStdString(name));
    const int at = chosen.isEmpty() ? 0 : midi_->findData(chosen);
    midi_->setCurrentIndex(std::max(at, 0));
    if (at > 0 && input_ == nullptr) openInput(chosen);
    if (at < 0 && input_ != nullptr) {
        input_.reset();
        emit said(tr("%1 is not plugged in any more.").arg(chosen));
    }
}

void PadBoard::openInput(const QString& name) {
    input_.reset();
    if (options_.remember) QSettings().setValue(kInput, name);
    if (name.isEmpty()) return;
    std::string why;
    input_ = options_.midi.open(
        name.toStdString(),
        [this](const MidiStrike& strike) {
            QMetaObject::invokeMethod(
                this, [this, strike] { strikeKey(strike); }, Qt::QueuedConnection);
        },
        why);
    if (input_ != nullptr) return;
    midi_->setCurrentIndex(0);
    emit said(QString::fromStdString(why));
}

void PadBoard::strikeKey(const MidiStrike& strike) {
    const KeyMapping mapping = mappingOf(workspace_.session(), strike.key);
    const auto isOf = [&](const Place& place, int articulation) {
        return place.drum == mapping.drum && place.articulation == articulation;
    };
    // A drum that is struck in one way only answers to every way of it.
    const bool other = std::any_of(places_.begin(), places_.end(),
                                   [&](const Place& p) { return isOf(p, mapping.articulation); });
    bool any = false;
    for (std::size_t i = 0; i < places_.size(); ++i) {
        if (!isOf(places_[i], other ? mapping.articulation : 0)) continue;
        pads_[i]->strike(strike.velocity);
        any = true;
    }
    if (any) return;
    const std::vector<Drum>& drums = workspace_.session().drums;
    const bool known = std::any_of(drums.begin(), drums.end(),
                                   [&](const Drum& d) { return d.id == mapping.drum; });
    emit said(known ? tr("Key %1 strikes %2, which no layers play.")
                          .arg(strike.key)
                          .arg(QString::fromStdString(drumName(workspace_.session(), mapping.drum)))
                    : tr("Key %1 strikes no drum of this kit.").arg(strike.key));
}

void PadBoard::refresh() {
    std::vector<Place> places;
    for (const Row& row : workspace_.session().rows) {
        if (row.layers.empty() || places.size() == kKeys.size()) continue;
        const QString name = QString::fromStdString(row.name);
        places.push_back({row.id, row.drum, name, 0});
        const bool other = std::any_of(row.layers.begin(), row.layers.end(), [](const Layer& l) {
            return static_cast<StruckWay>(std::lround(l.at(Layer::way))) == StruckWay::other;
        });
        if (other && places.size() < kKeys.size())
            places.push_back({row.id, row.drum, tr("%1, other").arg(name), 1});
    }
    if (places == places_) return;
    places_ = std::move(places);
    for (Pad* pad : pads_) pad->deleteLater();
    pads_.clear();
    for (std::size_t i = 0; i < places_.size(); ++i) {
        const Place& place = places_[i];
        auto* pad = new Pad(place.name, kKeys[i], this);
        connect(pad, &Pad::struck, this, [this, place](double velocity) {
            player_.strike(place.row, velocity, place.articulation);
        });
        line_->addWidget(pad);
        pads_.push_back(pad);
    }
    // Who has the keyboard is seen on a pad.
    setFocusProxy(pads_.empty() ? nullptr : pads_.front());
}

Pad* PadBoard::padOf(int key) const {
    const auto at =
        std::find_if(pads_.begin(), pads_.end(), [&](const Pad* pad) { return pad->key() == key; });
    return at != pads_.end() ? *at : nullptr;
}

// Letters that belong to pads do not do what they do elsewhere in the window.
bool PadBoard::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (!key->modifiers().testFlag(Qt::ControlModifier) && padOf(key->key()) != nullptr) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void PadBoard::keyPressEvent(QKeyEvent* event) {
    Pad* pad = event->modifiers().testFlag(Qt::ControlModifier) ? nullptr : padOf(event->key());
    if (pad == nullptr) return QWidget::keyPressEvent(event);
    if (!event->isAutoRepeat()) pad->strike(strengthOf(event->modifiers()));
}

void PadBoard::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    setFocus();
    for (QCheckBox* box : {click_, countIn_}) {
        if (options_.remember) box->setChecked(QSettings().value(box->objectName()).toBool());
    }
    player_.setClick(click_->isChecked());
    player_.setCountIn(countIn_->isChecked());
    if (!inputs_.isRunning()) inputs_.setFuture(QtConcurrent::run(options_.midi.list));
}

void PadBoard::hideEvent(QHideEvent* event) {
    keep_->setChecked(false);
    player_.setClick(false);
    player_.setCountIn(false);
    input_.reset();
    QWidget::hideEvent(event);
}

void PadBoard::keep(const std::vector<Played>& take) {
    const Session& session = workspace_.session();
    const Pattern notes = takeOf(take, session.time);
    if (notes.notes.empty())
        return emit said(
            tr("What was played lies before bar 1, where no notes can be; nothing was "
               "kept."));
    Session next = session;
    next.pattern = Shared(together(session.pattern.get(), notes));
    workspace_.edit(std::move(next));
    emit said(tr("%1 notes kept of what was played.").arg(notes.notes.size()));
}

}  // namespace ember::app
