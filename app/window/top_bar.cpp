#include "app/window/top_bar.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"

#include <QFontMetrics>
#include <QHBoxLayout>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kCautionMinutes = 15.0;

}  // namespace

QString placeText(const Session& session, double seconds) {
    const BarPlace place = placeAt(session.time, seconds);
    const auto minutes = static_cast<int>(seconds / 60.0);
    // Cut, not rounded: 59.97 s is no sixtieth second.
    const double tenths = std::floor((seconds - 60.0 * minutes) * 10.0) / 10.0;
    return QStringLiteral("%1.%2   %3:%4")
        .arg(place.bar + 1, 3)
        .arg(static_cast<int>(place.beat + 1e-6) + 1)
        .arg(minutes)
        .arg(tenths, 4, 'f', 1, QLatin1Char('0'));
}

TopBar::TopBar(Workspace& workspace, Player& player, Listener& listener, const Ear& ear,
               QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), listener_(listener), ear_(ear) {
    setObjectName("top-bar");
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(10, 6, 10, 6);
    line->setSpacing(6);
    name_ = new QLabel(this);
    name_->setFont(face(14, QFont::DemiBold));
    name_->setStyleSheet("font-size: 14px; font-weight: 600;");
    name_->setMinimumWidth(60);  // narrow windows need the room
    name_->setMaximumWidth(200);
    line->addWidget(name_);
    const auto button = [&](const QString& text, const QString& help, bool checkable) {
        auto* b = new QPushButton(text, this);
        b->setCheckable(checkable);
        b->setToolTip(help);
        b->setFocusPolicy(Qt::TabFocus);
        line->addWidget(b);
        return b;
    };
    start_ = button(tr("To start"), tr("Goes to the beginning (Ctrl+Home)."), false);
    play_ = button(tr("Play"), tr("Plays or stops (Space)."), true);
    play_->setObjectName("play");
    play_->setFixedWidth(64);
    loop_ = button(tr("Loop"), tr("Repeats the span dragged on the overview (L)."), true);
    loop_->setObjectName("loop");
    place_ = new QLabel(this);
    place_->setObjectName("place");
    place_->setFixedWidth(
        QFontMetrics(face(14)).horizontalAdvance(QStringLiteral("000.0   00:00.0")) + 14);
    place_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    place_->setToolTip(tr("Bar and beat, and time."));
    line->addWidget(place_);
    spot_ = new QToolButton(this);
    spot_->setObjectName("spot");
    spot_->setPopupMode(QToolButton::InstantPopup);
    spot_->setMenu(new QMenu(spot_));
    spot_->menu()->setToolTipsVisible(true);
    spot_->setToolTip(
        tr("Places worth listening to, best first for the chosen cell. N loops the "
           "next one, Shift+N the one before."));
    spot_->setAccessibleName(tr("Spot"));
    spot_->setMinimumWidth(90);
    spot_->setMaximumWidth(176);
    line->addWidget(spot_, 2);
    // In what room there is (fitNote); hovering says it in full.
    compareNote_ = new QLabel(this);
    compareNote_->setProperty("quiet", true);
    compareNote_->setObjectName("compare-note");
    compareNote_->setStyleSheet("font-size: 11px;");
    compareNote_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    compareNote_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Ignored);
    // A note that is still to be fitted makes the bar no higher.
    compareNote_->setMaximumHeight(2 * QFontMetrics(face(11)).lineSpacing());
    line->addWidget(compareNote_, 1);
    scope_ = new QComboBox(this);
    scope_->addItems({tr("this cell"), tr("this row"), tr("everything"), tr("effects")});
    scope_->setToolTip(tr("What the comparison passes by."));
    scope_->setAccessibleName(tr("Compare"));
    line->addWidget(scope_);
    before_ =
        button(tr("Before"), tr("Hear it without the processing, at the same loudness (B)."), true);
    before_->setObjectName("before");
    line->addSpacing(10);
    auto* monitorLabel = new QLabel(tr("Monitor"), this);
    monitorLabel->setProperty("quiet", true);
    line->addWidget(monitorLabel);
    monitor_ = new QSlider(Qt::Horizontal, this);
    monitor_->setRange(-60, 0);
    monitor_->setValue(-24);
    monitor_->setMinimumWidth(60);
    monitor_->setMaximumWidth(110);
    monitor_->setAccessibleName(tr("Monitor level"));
    monitor_->setToolTip(
        tr("How loud you listen; the mix file is not touched by it. Nothing above −1 dBFS ever "
           "leaves here."));
    line->addWidget(monitor_, 1);
    monitorNote_ = new QLabel(this);
    monitorNote_->setFixedWidth(112);
    line->addWidget(monitorNote_);
    connect(start_, &QPushButton::clicked, this, [this] { player_.seek(0.0); });
    connect(play_, &QPushButton::clicked, this, [this] { player_.toggle(); });
    connect(loop_, &QPushButton::clicked, this, &TopBar::toggleLoop);
    connect(before_, &QPushButton::clicked, this, [this](bool on) { emit compareAsked(on); });
    connect(scope_, &QComboBox::activated, this, [this] {
        chosenScope_ = -1;
        if (before_->isChecked()) emit compareAsked(true);
    });
    connect(monitor_, &QSlider::valueChanged, this, [this](int value) {
        player_.setMonitorDb(value <= -60 ? -90.0 : value);
        tick();
    });
    connect(&player_, &Player::playingChanged, this, [this](bool) { refresh(); });
    connect(spot_->menu(), &QMenu::aboutToShow, this, &TopBar::fillSpots);
    connect(&listener_, &Listener::changed, this, &TopBar::refresh);
    connect(&player_, &Player::compareChanged, this, &TopBar::refresh);
    connect(&player_, &Player::referenceChanged, this, &TopBar::refresh);
    connect(&workspace_, &Workspace::opened, this, &TopBar::refresh);
    connect(&workspace_, &Workspace::changed, this, [this] { refresh(); });
    refresh();
    tick();
}

void TopBar::toggleLoop() {
    LoopSpan loop = workspace_.session().loop;
    const Session& s = workspace_.session();
    if (!loop.on && loop.to <= loop.from) {
        // Nothing was dragged yet: the two bars under the playhead.
        const int bar = barAt(s.time, player_.position());
        loop.from = std::max(0.0, secondsOfBar(s.time, bar));
        loop.to = std::min(player_.length(), secondsOfBar(s.time, bar + 2));
    }
    loop.on = !loop.on;
    workspace_.setLoop(loop);
    refresh();
}

void TopBar::refresh() {
    const bool open = !workspace_.empty();
    name_->setText(
        open ? name_->fontMetrics().elidedText(QString::fromStdString(workspace_.session().name),
                                               Qt::ElideRight, width() < 1100 ? 90 : 180)
             : QStringLiteral("Ember Cask"));
    for (QWidget* w : std::initializer_list<QWidget*>{start_, play_, loop_, before_, scope_, spot_})
        w->setEnabled(open);
    play_->setChecked(player_.playing());
    play_->setText(player_.playing() ? tr("Stop") : tr("Play"));
    loop_->setChecked(open && workspace_.session().loop.on);
    before_->setChecked(player_.hearingBefore());
    fitNote(player_.reference().empty() ? player_.compareText() : player_.referenceText());
    showScope();
    QString spot = tr("Spots");
    if (open) {
        for (const FoundSpot& s : listener_.spotsFor(cellRow_, cellColumn_)) {
            if (loops(s.spot)) spot = QString::fromStdString(s.spot.name);
        }
    }
    spot_->setText(spot_->fontMetrics().elidedText(spot, Qt::ElideRight, spot_->width() - 26));
}

void TopBar::fitNote(const QString& note) {
    constexpr int kRoomForTwoLines = 130;
    const int room = compareNote_->width();
    compareNote_->setWordWrap(room >= kRoomForTwoLines);
    compareNote_->setText(room >= kRoomForTwoLines ? note
                                                   : compareNote_->fontMetrics().elidedText(
                                                         note, Qt::ElideRight, std::max(0, room)));
    compareNote_->setToolTip(note);
}

void TopBar::showScope() {
    const int effects = static_cast<int>(CompareScope::effects);
    if (player_.hearingWithoutEffects()) {
        if (scope_->currentIndex() == effects) return;
        chosenScope_ = scope_->currentIndex();
        scope_->setCurrentIndex(effects);
    } else if (chosenScope_ >= 0) {
        scope_->setCurrentIndex(std::exchange(chosenScope_, -1));
    }
}

void TopBar::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    refresh();
}

void TopBar::setCell(const std::string& row, Column column) {
    cellRow_ = row;
    cellColumn_ = column;
}

bool TopBar::loops(const Spot& spot) const {
    const LoopSpan& loop = workspace_.session().loop;
    return loop.on && std::abs(loop.from - spot.from) < 1e-6 && std::abs(loop.to - spot.to) < 1e-6;
}

void TopBar::loopSpot(const Spot& spot) {
    workspace_.setLoop({true, spot.from, std::min(spot.to, player_.length())});
    player_.seek(spot.from);
    refresh();
}

void TopBar::stepSpot(int direction) {
    const std::vector<FoundSpot> spots = listener_.spotsFor(cellRow_, cellColumn_);
    if (spots.empty()) return;
    const auto count = static_cast<int>(spots.size());
    int next = direction > 0 ? 0 : count - 1;
    for (int i = 0; i < count; ++i) {
        if (loops(spots[static_cast<std::size_t>(i)].spot)) next = (i + direction + count) % count;
    }
    loopSpot(spots[static_cast<std::size_t>(next)].spot);
}

void TopBar::noteSpot() {
    Session next = workspace_.session();
    if (next.loop.to <= next.loop.from) return;
    const Spot spot{
        tr("Bar %1")
            .arg(placeText(next, next.loop.from).section(' ', 0, 0, QString::SectionSkipEmpty))
            .toStdString(),
        next.loop.from, next.loop.to};
    next.spots.push_back(spot);
    workspace_.edit(std::move(next));
    refresh();
}

void TopBar::fillSpots() {
    QMenu* menu = spot_->menu();
    menu->clear();
    const std::vector<FoundSpot> spots = listener_.spotsFor(cellRow_, cellColumn_);
    const Session& session = workspace_.session();
    std::size_t shown = 0;
    for (const FoundSpot& s : spots) {
        if (++shown > 16) break;  // what is further down is of little use for this cell
        QAction* action = menu->addAction(tr("%1 (%2)").arg(QString::fromStdString(s.spot.name),
                                                            QString::fromStdString(s.reason)));
        action->setToolTip(placeText(session, s.spot.from).simplified());
        action->setCheckable(true);
        action->setChecked(loops(s.spot));
        connect(action, &QAction::triggered, this, [this, spot = s.spot] { loopSpot(spot); });
    }
    if (spots.empty())
        menu->addAction(listener_.listening() ? tr("Listening to the kit …") : tr("None found"))
            ->setEnabled(false);
    menu->addSeparator();
    QAction* note = menu->addAction(tr("Note the loop as a spot"), this, &TopBar::noteSpot);
    note->setEnabled(session.loop.to > session.loop.from);
    if (!session.spots.empty()) {
        QMenu* forget = menu->addMenu(tr("Forget"));
        for (std::size_t i = 0; i < session.spots.size(); ++i) {
            forget->addAction(QString::fromStdString(session.spots[i].name), [this, i] {
                Session next = workspace_.session();
                next.spots.erase(next.spots.begin() + static_cast<std::ptrdiff_t>(i));
                workspace_.edit(std::move(next));
            });
        }
    }
}

void TopBar::setComparing(bool before) {
    before_->setChecked(before);
}

void TopBar::tick() {
    if (!workspace_.empty()) {
        const QString text = placeText(workspace_.session(), player_.position());
        if (text != place_->text()) place_->setText(text);
    }
    const int db = monitor_->value();
    QString note =
        db <= -60 ? tr("silent") : (db < 0 ? QStringLiteral("−%1 dB").arg(-db) : tr("0 dB"));
    const double loud = ear_.minutesOn(QDate::currentDate());
    const double limit = ear_.limit() > 0.0 ? ear_.limit() : kCautionMinutes;
    QString help = tr("How loud you listen.");
    const bool caution = db > -9 || loud >= limit;
    if (loud >= 0.5) note += tr(", loud %1 min").arg(figure(loud, 0));
    if (loud >= limit)
        help = tr("You have listened loud for %1 minutes today. Usual limits: 8 hours at 85 dB(A), "
                  "half the time for every 3 dB more. Judge quietly, check loud briefly.")
                   .arg(figure(loud, 0));
    else if (db > -9)
        help = tr("The monitor is high. Judge quietly, check loud briefly.");
    if (note == monitorNote_->text()) return;
    monitorNote_->setText(note);
    monitorNote_->setToolTip(help);
    monitorNote_->setStyleSheet(caution ? QString("color: %1;").arg(colours().ember.name())
                                        : QString());
}

}  // namespace ember::app
