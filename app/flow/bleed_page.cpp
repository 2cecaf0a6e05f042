#include "app/flow/bleed_page.h"

#include "app/board/row_menu.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "app/workers/watch.h"
#include "core/advise/ready_bus.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/bleed.h"
#include "core/engine/trace.h"
#include "core/measure/separate/kept_models.h"
#include "core/measure/separate/stage_gains.h"
#include "core/session/bleed.h"

#include <QMenu>
#include <QScrollArea>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <array>
#include <cmath>

namespace ember::app {
namespace {

// Whether any microphone of the kit is there.
bool isRecorded(const Session& session) {
    return std::any_of(session.rows.begin(), session.rows.end(),
                       [](const Row& row) { return isListenedTo(row) && isMicrophone(row.role); });
}

}  // namespace

BleedPage::BleedPage(Workspace& workspace, Listener& listener, Player& player, QWidget* parent)
    : QWidget(parent), workspace_(workspace), listener_(listener), player_(player) {
    setObjectName("bleed-page");
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(14);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    auto* head = new QHBoxLayout;
    title_ = new QLabel(this);
    title_->setProperty("title", true);
    title_->setMinimumWidth(120);  // the buttons beside it need the room more
    head->addWidget(title_, 1);
    for (const BleedStart& start : bleedStarts()) {
        auto* button = new QPushButton(QString::fromStdString(start.name), this);
        button->setObjectName(QString::fromStdString("bleed-start-" + start.id));
        button->setToolTip(QString::fromStdString(start.doc));
        connect(button, &QPushButton::clicked, this, [this, id = start.id] {
            workspace_.attempt(
                [&] { return withBleedStart(workspace_.session(), id, drums_, model()); });
        });
        head->addWidget(button);
        starts_.push_back(button);
    }
    space_ = new QPushButton(tr("Overheads and room"), this);
    space_->setObjectName("bleed-space");
    space_->setToolTip(
        tr("Two buses that stand for the overheads and the room of a kit that nobody recorded; "
           "every drum feeds them as it usually would, and here by how much."));
    connect(space_, &QPushButton::clicked, this,
            [this] { workspace_.attempt([&] { return withKitSpace(workspace_.session()); }); });
    space_->hide();  // for programmed kits alone
    head->addWidget(space_);
    left->addLayout(head);
    auto* line = new QHBoxLayout;
    state_ = quietLabel(this, "bleed-state");
    line->addWidget(state_, 1);
    cancel_ = new QPushButton(tr("Stop"), this);
    cancel_->setObjectName("bleed-stop");
    connect(cancel_, &QPushButton::clicked, this, [this] { abandon_ = true; });
    line->addWidget(cancel_);
    anew_ = new QPushButton(tr("Take apart anew"), this);
    anew_->setObjectName("bleed-anew");
    anew_->setToolTip(tr("What is turned stays; it is done by the strokes as they are now."));
    connect(anew_, &QPushButton::clicked, this, [this] {
        if (known_.empty()) return takeKitApart();
        workspace_.attempt([&] { return withBleedModel(workspace_.session(), known_); });
    });
    line->addWidget(anew_);
    left->addLayout(line);
    mixer_ = new BleedMixer(workspace, this);
    left->addWidget(mixer_, 1);
    words_ = quietLabel(this, "bleed-words");
    left->addWidget(words_);
    across->addLayout(left, 1);
    across->addWidget(makePanel());

    connect(mixer_, &QTableWidget::currentCellChanged, this, [this] {
        showPlace();
        if (hearing_) hear(hearing_);
    });
    connect(&running_, &QFutureWatcher<void>::finished, this, &BleedPage::finish);
    connect(&weighing_, &QFutureWatcher<double>::finished, this, [this] {
        if (hearing_ && !abandonWeighing_) play();
    });
    const auto again = [this] {
        if (!isVisible()) return;
        if (listener_.measured() != of_) takeKitApart();
        refresh();
    };
    connect(&workspace_, &Workspace::changed, this, again);
    connect(&listener_, &Listener::changed, this, again);
    connect(&workspace_, &Workspace::opened, this, [this, again] {
        abandon_ = outdated_ = true;
        known_.clear();
        problem_.clear();
        drums_.clear();
        of_ = nullptr;
        again();
    });
    connect(&player_, &Player::previewChanged, this, [this](bool on) {
        if (on) return;
        hearing_.reset();
        for (QPushButton* button : hearings_) button->setChecked(false);
    });
}

BleedPage::~BleedPage() {
    abandon_ = abandonWeighing_ = true;
    running_.waitForFinished();
    weighing_.waitForFinished();
}

QWidget* BleedPage::makePanel() {
    auto* panel = new QWidget(this);
    panel->setFixedWidth(296);
    auto* side = new QVBoxLayout(panel);
    side->setContentsMargins(0, 0, 0, 0);
    side->setSpacing(6);
    place_ = new QLabel(panel);
    place_->setObjectName("bleed-place");
    place_->setProperty("title", true);
    side->addWidget(place_);
    heard_ = quietLabel(panel, "bleed-heard");
    side->addWidget(heard_);
    fields_ = new QVBoxLayout;
    side->addLayout(fields_);
    listen_ = makeListening(panel);
    side->addWidget(listen_, 1);
    side->addStretch(0);
    return panel;
}

QWidget* BleedPage::makeListening(QWidget* parent) {
    auto* panel = new QWidget(parent);
    auto* side = new QVBoxLayout(panel);
    side->setContentsMargins(0, 0, 0, 0);
    side->setSpacing(6);
    side->addWidget(titleLabel(tr("Listen"), panel));
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    const std::array<std::pair<QString, QString>, 3> choices{
        {{tr("Kept"), tr("This microphone alone, as it is turned.")},
         {tr("Taken"), tr("What that takes out of it, alone.")},
         {tr("Only this"), tr("This drum in this microphone, alone.")}}};
    for (std::size_t i = 0; i < choices.size(); ++i) {
        auto* button = new QPushButton(choices[i].first, panel);
        button->setObjectName(QStringLiteral("bleed-hear-%1").arg(i));
        button->setCheckable(true);
        button->setToolTip(choices[i].second);
        connect(button, &QPushButton::clicked, this, [this, i](bool on) {
            hear(on ? std::optional(static_cast<BleedHearing>(i)) : std::nullopt);
        });
        row->addWidget(button);
        hearings_.push_back(button);
    }
    side->addLayout(row);
    matched_ = new QCheckBox(tr("As loud as the microphone"), panel);
    matched_->setObjectName("bleed-matched");
    matched_->setChecked(true);
    matched_->setToolTip(
        tr("What is taken and single drums are mostly soft: turned so that they are as loud as "
           "the microphone alone, by no more than 40 dB."));
    connect(matched_, &QCheckBox::toggled, this, [this] {
        if (hearing_) hear(hearing_);
    });
    side->addWidget(matched_);
    alone_ = new QPushButton(tr("Feed a bus with it alone"), panel);
    alone_->setObjectName("bleed-alone");
    alone_->setToolTip(
        tr("A row of its own that plays this drum in this microphone and nothing else, and feeds "
           "the bus: a reverb that hears the snare without the hat, a key for a detector."));
    alone_->setMenu(new QMenu(alone_));
    connect(alone_->menu(), &QMenu::aboutToShow, this, &BleedPage::fillAlone);
    side->addWidget(alone_);
    listening_ = quietLabel(panel, "bleed-listening");
    side->addWidget(listening_);
    auto* scroll = new QScrollArea(panel);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    advice_ = new BleedAdvice(workspace_, listener_, scroll);
    scroll->setWidget(advice_);
    side->addWidget(scroll, 1);
    return panel;
}

std::string BleedPage::model() const {
    const std::string used = bleedModelOf(workspace_.session());
    return !used.empty() && findBleedModel(workspace_.store(), used) != nullptr ? used : known_;
}

void BleedPage::takeKitApart() {
    if (running_.isRunning() || listener_.measured() == nullptr) return;
    if (!isRecorded(workspace_.session())) return refresh();
    of_ = listener_.measured();
    abandon_ = outdated_ = false;
    problem_.clear();
    const auto told = [this](double part, const QString& what) {
        if (!running_.isRunning()) return;
        state_->setText(tr("Taking the kit apart: %1, %2 %").arg(what, figure(100.0 * part, 0)));
    };
    running_.setFuture(
        QtConcurrent::run([session = workspace_.session(), store = &workspace_.store(),
                           watch = watchedBy(this, abandon_, told)]() -> Apart {
            try {
                const std::string model = takeApart(session, *store, watch);
                return {model, {}, findBleedModel(*store, model)->drums};
            } catch (const Cancelled&) {
                return {{}, "Stopped; nothing was taken apart.", {}};
            } catch (const std::exception& error) {
                return {{}, error.what(), {}};
            }
        }));
    refresh();
}

void BleedPage::finish() {
    if (!outdated_) {
        const Apart apart = running_.result();
        known_ = apart.model;
        problem_ = apart.problem;
        drums_ = apart.drums;
    }
    // Measured anew meanwhile.
    if (isVisible() && of_ != listener_.measured()) return takeKitApart();
    refresh();
}

void BleedPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (listener_.measured() != of_) takeKitApart();
    refresh();
}

void BleedPage::hideEvent(QHideEvent* event) {
    if (hearing_) hear(std::nullopt);
    QWidget::hideEvent(event);
}

void BleedPage::refresh() {
    const auto measured = listener_.measured();
    const bool running = running_.isRunning();
    const std::string by = model(), used = bleedModelOf(workspace_.session());
    // A session may play by what was measured elsewhere: its drums count.
    std::vector<std::string> drums = drums_;
    if (const auto played = findBleedModel(workspace_.store(), by)) drums = played->drums;
    drums_ = drums;
    mixer_->show(measured != nullptr ? bleedTable(workspace_.session(), *measured) : BleedTable{},
                 drums, by);
    const bool stale = !running && !known_.empty() && !used.empty() && used != known_;
    if (!running) state_->setText(state(stale));
    cancel_->setVisible(running);
    const bool recorded = isRecorded(workspace_.session());
    anew_->setVisible(stale || (recorded && !running && !problem_.empty()));
    title_->setText(recorded ? tr("Every drum in every microphone")
                             : tr("Every drum in the kit's overheads and rooms"));
    words_->setText(
        recorded
            ? tr("Left bar: heard, against the microphone's loudest drum. Right bar: after. A cap: "
                 "its own drum. Enter turns a drum down or back, a number typed or Ctrl with the "
                 "arrows turns it, Delete turns it back, O switches a microphone's bleed step.")
            : tr("Enter sends a drum there or takes it away, a number typed or Ctrl with the "
                 "arrows "
                 "says how loud, Delete takes it away."));
    words_->setVisible(mixer_->rowCount() > 0);
    const KitFeeds feeds = kitFeeds(workspace_.session());
    space_->setVisible(!recorded && !feeds.drums.empty() && feeds.buses.empty());
    for (QPushButton* button : starts_) {
        button->setEnabled(!by.empty());
        button->setVisible(recorded);
    }
    for (QPushButton* button : hearings_) button->setEnabled(!by.empty());
    alone_->setEnabled(!by.empty());
    showPlace();
}

QString BleedPage::state(bool stale) const {
    const Session& session = workspace_.session();
    const std::string used = bleedModelOf(session);
    if (!isRecorded(session)) {
        const KitFeeds feeds = kitFeeds(session);
        return feeds.drums.empty()
                   ? tr("No row is a microphone of the kit; say on the Board what the rows are.")
               : feeds.buses.empty() ? tr("No microphone recorded this kit. “Overheads and room” "
                                          "gives it both, which "
                                          "every drum feeds.")
                                     : tr("What each drum feeds into the kit's overheads and "
                                          "rooms, behind its fader.");
    }
    if (listener_.measured() == nullptr) {
        return listener_.problem().isEmpty()
                   ? tr("The kit is listened to first; its strokes tell the drums apart.")
                   : listener_.problem();
    }
    if (!problem_.empty()) return QString::fromStdString(problem_);
    if (!used.empty() && findBleedModel(workspace_.store(), used) == nullptr) {
        return tr(
            "What this was taken apart by is gone: the recordings are played as they are "
            "until it is taken apart anew.");
    }
    if (stale) {
        return tr(
            "Strokes, roles or recordings changed since this was taken apart. What is "
            "turned still plays by what was measured then.");
    }
    return tr(
        "Turned down, a drum is played quieter by what it gives this microphone, moment by "
        "moment and band by band; all parts together are the recording.");
}

void BleedPage::showFeed(const BleedMixer::Place& place) {
    const Session& session = workspace_.session();
    const QString title = tr("%1 into %2")
                              .arg(QString::fromStdString(drumName(session, place.drum)),
                                   QString::fromStdString(findRow(session, place.row)->name));
    place_->setText(place_->fontMetrics().elidedText(title, Qt::ElideRight, 290));
    const double db = feedDb(session, place.drum, place.row);
    heard_->setText(db > kSendLowest
                        ? tr("Sent there at %1 dB by every row that plays it. What the bus makes "
                             "of it is its chain; M on the Board closes it.")
                              .arg(change(db))
                        : tr("It does not feed it."));
}

void BleedPage::showPlace() {
    const auto place = mixer_->current();
    const Row* row = place ? findRow(workspace_.session(), place->row) : nullptr;
    const bool mic = row != nullptr && !place->fed;
    place_->setVisible(row != nullptr);
    heard_->setVisible(row != nullptr);
    listen_->setVisible(mic);
    if (row != nullptr && place->fed) {
        showFeed(*place);
        row = nullptr;
    }
    const Stage* stage = row != nullptr ? findBleed(*row) : nullptr;
    const std::string shown = stage != nullptr ? row->id : std::string();
    if (shown != shownRow_) {
        for (ParameterField* field : shown_) field->deleteLater();
        shown_.clear();
        shownRow_ = shown;
        if (stage != nullptr) {
            for (const Parameter& parameter : processorType("bleed").table) {
                shown_.push_back(
                    new ParameterField(workspace_, row->id, stage->id, parameter, {}, this));
                fields_->addWidget(shown_.back());
            }
        }
    }
    for (ParameterField* field : shown_) field->refresh();
    advice_->show(row != nullptr ? row->id : std::string(), !model().empty());
    if (row == nullptr) return;
    const QString drum = place->drum == kNoDrum
                             ? tr("What belongs to no drum")
                             : QString::fromStdString(drumName(workspace_.session(), place->drum));
    const QString title = tr("%1 in %2").arg(drum, QString::fromStdString(row->name));
    place_->setText(place_->fontMetrics().elidedText(title, Qt::ElideRight, 290));
    const double gain = drumGain(*row, place->drum);
    QString heard =
        place->heard
            ? tr("Its clear strokes peak at %1 dBFS there, %2 dB against the loudest drum. Turned "
                 "to %3.")
                  .arg(figure(place->heard->peakDb, 0), figure(place->heard->relativeDb, 0),
                       QString::fromStdString(bleedText(gain)))
            : tr("No stroke of it was clear enough there to say how loud it is. Turned to %1.")
                  .arg(QString::fromStdString(bleedText(gain)));
    const auto by = findBleedModel(workspace_.store(), model());
    if (stage != nullptr && by != nullptr)
        heard +=
            " " + QString::fromStdString(shapeProblem(*by, workspace_.session(), *row, *stage));
    heard_->setText(heard.trimmed());
}

void BleedPage::fillAlone() {
    alone_->menu()->clear();
    const auto place = mixer_->current();
    if (!place) return;
    fillBusMenu(
        *alone_->menu(), workspace_,
        [this, row = place->row, drum = place->drum](Session session, const std::string& bus) {
            NewRow made = withDrumAlone(std::move(session), row, drum, bus, drums_, model());
            listening_->setText(
                tr("%1 feeds %2.")
                    .arg(QString::fromStdString(findRow(made.session, made.row)->name),
                         QString::fromStdString(findRow(made.session, bus)->name)));
            return std::move(made.session);
        });
}

void BleedPage::hear(std::optional<BleedHearing> what) {
    const auto place = mixer_->current();
    hearing_ = place && !place->fed ? what : std::nullopt;
    for (std::size_t i = 0; i < hearings_.size(); ++i)
        hearings_[i]->setChecked(hearing_ && static_cast<std::size_t>(*hearing_) == i);
    abandonWeighing_ = !hearing_;
    if (!hearing_) {
        listening_->clear();
        return player_.preview(std::nullopt);
    }
    try {
        const Session& session = workspace_.session();
        apart_ = heardApart(session, place->row, place->drum, *hearing_, drums_, model());
        if (!matched_->isChecked()) return play();
        listening_->setText(tr("Measuring loudness …"));
        const auto [from, to] = player_.comparedSpan(session);
        abandonWeighing_ = true;
        weighing_.waitForFinished();
        abandonWeighing_ = false;
        weighing_.setFuture(
            QtConcurrent::run([this, heard = apart_, alone = microphoneAlone(session, place->row),
                               store = &workspace_.store(), from = from, to = to] {
                try {
                    return mixGainDb(
                        heard, alone, *store, {}, from, to,
                        [this](double, const std::string&) { return !abandonWeighing_.load(); });
                } catch (const std::exception&) {
                    return 0.0;  // abandoned, or nothing to hear
                }
            }));
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
}

void BleedPage::play() {
    const double db = matched_->isChecked() ? weighing_.result() : 0.0;
    listening_->setText(db == 0.0 ? tr("From the next beat on, as loud as it is.")
                                  : tr("From the next beat on, turned by %1 dB.").arg(change(db)));
    player_.preview(apart_, db);
}

}  // namespace ember::app
