#include "app/flow/flow_page.h"

#include "app/board/row_menu.h"
#include "app/board/row_report_dialog.h"
#include "app/widgets/labels.h"
#include "core/advise/ready_bus.h"
#include "core/session/graph.h"

#include <QButtonGroup>
#include <QMenu>

namespace ember::app {

FlowPage::FlowPage(Workspace& workspace, Tracer& tracer, Player& player, Listener& listener,
                   QWidget* parent)
    : QWidget(parent), workspace_(workspace) {
    setObjectName("flow-page");
    auto* whole = new QVBoxLayout(this);
    whole->setContentsMargins(14, 8, 14, 8);
    whole->setSpacing(6);
    auto* choice = new QHBoxLayout;
    choice->setSpacing(6);
    auto* group = new QButtonGroup(this);
    const auto addSide = [&](FlowSide of, const QString& text, const char* name,
                             const QString& help) {
        QPushButton* side = namedButton(text, name, help, this);
        side->setCheckable(true);
        side->setChecked(of == FlowSide::routing);
        group->addButton(side, static_cast<int>(of));
        choice->addWidget(side);
    };
    addSide(FlowSide::routing, tr("Routing"), "flow-routing",
            tr("What every row feeds and is sent to."));
    addSide(FlowSide::bleed, tr("Bleed"), "flow-bleed",
            tr("Every drum in every microphone, turned up or down."));
    addSide(FlowSide::lowEnd, tr("Low end"), "flow-low-end",
            tr("Kick and bass alone: who owns which octave, and where they meet."));
    choice->addStretch(1);
    whole->addLayout(choice);
    sides_ = new QStackedWidget(this);
    whole->addWidget(sides_, 1);
    auto* routing = new QWidget(sides_);
    sides_->addWidget(routing);
    bleed_ = new BleedPage(workspace, listener, player, sides_);
    sides_->addWidget(bleed_);
    lowEnd_ = new LowEndPage(workspace, listener, player, sides_);
    sides_->addWidget(lowEnd_);
    connect(group, &QButtonGroup::idClicked, sides_, &QStackedWidget::setCurrentIndex);
    connect(sides_, &QStackedWidget::currentChanged, group,
            [group](int side) { group->button(side)->setChecked(true); });
    auto* across = new QHBoxLayout(routing);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(14);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    auto* head = new QHBoxLayout;
    auto* title = new QLabel(tr("Who feeds whom"), this);
    title->setProperty("title", true);
    title->setMinimumWidth(1);  // it gives way before the window has to be wider
    head->addWidget(title, 1);
    school_ = new QComboBox(routing);
    school_->setObjectName("flow-school");
    school_->setAccessibleName(tr("Way of working with buses"));
    school_->addItems({tr("gentle glue and space"), tr("hard parallels and dry")});
    school_->setToolTip(
        tr("Pressed together a little and set into a plate and a room; or left "
           "dry, with a pressed and a bent bus beside the mix."));
    connect(school_, &QComboBox::activated, this, [this](int index) {
        workspace_.attempt([&] {
            return withWay(workspace_.session(), "bus", index == 0 ? "glue" : "parallels");
        });
    });
    head->addWidget(school_);
    auto* advise = namedButton(tr("Propose …"), "flow-propose",
                               tr("Listens to the mix as it plays and proposes routing, glue, "
                                  "parallels, spaces and clean sides."),
                               routing);
    connect(advise, &QPushButton::clicked, this, &FlowPage::adviceAsked);
    head->addWidget(advise);
    auto* room = namedButton(tr("One room? …"), "flow-one-room",
                             tr("Which drums stand in another room than the rest, and what would "
                                "bring them together."),
                             routing);
    connect(room, &QPushButton::clicked, this, [this, &player, &listener] {
        showRowReport(workspace_, player, oneRoomReport(listener.measured()), window());
    });
    head->addWidget(room);
    auto* through = namedButton(tr("Through? …"), "flow-through",
                                tr("How far every drum’s strokes stand above all else that sounds, "
                                   "guests too, and whether level, tone or what is played is at "
                                   "fault where they do not."),
                                routing);
    connect(through, &QPushButton::clicked, this, [this, &player, &listener] {
        showRowReport(workspace_, player, throughReport(listener.measured()), window());
    });
    head->addWidget(through);
    auto* range =
        namedButton(tr("Range …"), "flow-range",
                    tr("How far the loudness of every bus moves, what is left of what was "
                       "played, and what you want of it."),
                    routing);
    connect(range, &QPushButton::clicked, this,
            [this, &player] { showRowReport(workspace_, player, rangeReportKind(), window()); });
    head->addWidget(range);
    auto* bus = new QPushButton(tr("New bus"), this);
    bus->setObjectName("flow-new-bus");
    bus->setToolTip(
        tr("A bus that feeds the main: an empty one, or one that is ready and silent until its "
           "fader is raised."));
    auto* menu = new QMenu(bus);
    menu->setToolTipsVisible(true);
    for (const ReadyBus& ready : readyBuses()) {
        QAction* action =
            menu->addAction(QString::fromStdString(ready.name), this, [this, id = ready.id] {
                workspace_.attempt([&] { return withReadyBus(workspace_.session(), id); });
            });
        action->setObjectName(QString::fromStdString("ready-" + ready.id));
        action->setToolTip(QString::fromStdString(ready.doc));
    }
    menu->addSeparator();
    menu->addAction(tr("Empty …"), this, [this] { askNewBus(this, workspace_); });
    bus->setMenu(menu);
    head->addWidget(bus);
    left->addLayout(head);
    auto* words = new QLabel(
        tr("Capped bars: what a row feeds, at its fader. Ember: what it is sent to beside that; a "
           "tick in front: taken before the fader. Enter sends there or switches a send, a number "
           "typed or Ctrl with the arrows sets its level, O makes a bus the one that is fed. Under "
           "each bus stands what its sum peaks at."),
        this);
    words->setProperty("quiet", true);
    words->setWordWrap(true);
    left->addWidget(words);
    matrix_ = new FlowMatrix(workspace, tracer, player, this);
    left->addWidget(matrix_, 1);
    across->addLayout(left, 1);
    auto* panel = new QWidget(this);
    panel->setFixedWidth(258);
    side_ = new QVBoxLayout(panel);
    side_->setContentsMargins(0, 0, 0, 0);
    side_->setSpacing(6);
    row_ = new QLabel(panel);
    row_->setProperty("title", true);
    side_->addWidget(row_);
    feeds_ = new QLabel(panel);
    feeds_->setObjectName("flow-way");
    feeds_->setProperty("quiet", true);
    feeds_->setWordWrap(true);
    side_->addWidget(feeds_);
    across->addWidget(panel);
    connect(matrix_, &QTableWidget::currentCellChanged, this, &FlowPage::showRow);
    connect(matrix_, &FlowMatrix::rowMenuAsked, this, &FlowPage::rowMenuAsked);
    const auto again = [this] {
        if (isVisible()) refresh();
    };
    const auto figures = [this] {
        if (isVisible()) matrix_->refreshFigures();
    };
    connect(&workspace_, &Workspace::changed, this, again);
    connect(&workspace_, &Workspace::opened, this, again);
    connect(&tracer, &Tracer::settledChanged, this, figures);
    connect(&player, &Player::planReady, this, figures);
}

void FlowPage::showSide(FlowSide side) {
    sides_->setCurrentIndex(static_cast<int>(side));
    switch (side) {
        case FlowSide::routing:
            return matrix_->setFocus();
        case FlowSide::bleed:
            return bleed_->mixer().setFocus();
        case FlowSide::lowEnd:
            return lowEnd_->octaves().setFocus();
    }
}

void FlowPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    refresh();
}

void FlowPage::refresh() {
    school_->setCurrentIndex(static_cast<int>(wayOf(workspace_.session().ways, "bus")));
    matrix_->refresh();
    showRow();
}

void FlowPage::showRow() {
    const Row* row = findRow(workspace_.session(), matrix_->chosenRow());
    row_->setVisible(row != nullptr);
    feeds_->setVisible(row != nullptr);
    if (row == nullptr || shown_ != row->id) {
        if (sends_ != nullptr) sends_->deleteLater();
        sends_ = nullptr;
        shown_.clear();
    }
    if (row == nullptr) return;
    row_->setText(
        row_->fontMetrics().elidedText(QString::fromStdString(row->name), Qt::ElideRight, 250));
    QStringList way;
    for (const Row* on : wayOut(workspace_.session(), row->id))
        way << QString::fromStdString(on->name);
    feeds_->setText(way.join(QStringLiteral(" → ")));
    if (sends_ == nullptr) {
        shown_ = row->id;
        sends_ = new SendList(workspace_, shown_, this);
        side_->addWidget(sends_, 1);
    } else {
        sends_->refresh();
    }
}

}  // namespace ember::app
