#include "app/bench/bench_page.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/advise/chain_copy.h"
#include "core/advise/foretell.h"
#include "core/measure/kit/kit_mics.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QScrollBar>
#include <QShortcut>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace ember::app {

BenchPage::BenchPage(Bench bench, QWidget* parent) : QWidget(parent), bench_(bench) {
    setObjectName("bench");
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    outer->setSpacing(0);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(10, 6, 10, 2);
    head->setSpacing(8);
    auto* back = new QPushButton(tr("Board"), this);
    back->setToolTip(tr("Back to the Board (Esc)."));
    back->setObjectName("bench-back");
    connect(back, &QPushButton::clicked, this, &BenchPage::left);
    head->addWidget(back);
    title_ = new QLabel(this);
    title_->setProperty("quiet", true);
    head->addWidget(title_, 1);
    add_ = new QToolButton(this);
    add_->setObjectName("bench-add");
    add_->setText(tr("Add"));
    add_->setPopupMode(QToolButton::InstantPopup);
    add_->setMenu(new QMenu(add_));
    add_->menu()->setToolTipsVisible(true);
    add_->setToolTip(tr("Another processor for this row."));
    connect(add_->menu(), &QMenu::aboutToShow, this, &BenchPage::fillAdd);
    head->addWidget(add_);
    copy_ = new QToolButton(this);
    copy_->setObjectName("bench-copy");
    copy_->setText(tr("Copy to"));
    copy_->setPopupMode(QToolButton::InstantPopup);
    copy_->setMenu(new QMenu(copy_));
    copy_->setToolTip(
        tr("This row’s processors for another row, tuned to its note and fitted to its "
           "strokes; align and seat stay as they are."));
    connect(copy_->menu(), &QMenu::aboutToShow, this, &BenchPage::fillCopy);
    head->addWidget(copy_);
    chains_ = new PresetButton(
        tr("Chains"),
        {"chain",
         [this] {
             std::vector<Stage> chain;
             const Row* row = findRow(bench_.workspace.session(), place_.row);
             for (const Stage& stage : row != nullptr ? row->chain : std::vector<Stage>{}) {
                 if (stage.type != "align" && stage.type != "seat") chain.push_back(stage);
             }
             return chain;
         },
         [this](std::vector<Stage> chain) {
             bench_.workspace.useChain(place_.row, std::move(chain));
             rebuild();
         }},
        this);
    chains_->setObjectName("bench-chains");
    chains_->setToolTip(
        tr("Whole chains saved before in place of this one, and saving this one; "
           "align and seat stay as they are."));
    connect(chains_, &PresetButton::refused, &bench_.workspace, &Workspace::refused);
    head->addWidget(chains_);
    struct Way {
        QString label, keys;
        int rows, columns;
    };
    for (const Way& way :
         {Way{tr("Row above"), "Ctrl+Up", -1, 0}, Way{tr("Row below"), "Ctrl+Down", 1, 0},
          Way{tr("Step before"), "Ctrl+Left", 0, -1}, Way{tr("Step after"), "Ctrl+Right", 0, 1}}) {
        auto* button = new QPushButton(way.label, this);
        button->setToolTip(way.keys);
        // A shortcut, because the scroll area would take the arrows for itself.
        auto* shortcut = new QShortcut(QKeySequence(way.keys), this, nullptr, nullptr,
                                       Qt::WidgetWithChildrenShortcut);
        connect(shortcut, &QShortcut::activated, this,
                [this, way] { step(way.rows, way.columns); });
        connect(button, &QPushButton::clicked, this, [this, way] { step(way.rows, way.columns); });
        head->addWidget(button);
    }
    outer->addLayout(head);
    frozen_ = new FrozenNote(bench_.workspace, bench_.player, bench_.printer, this);
    outer->addWidget(frozen_);
    controls_ = new ControlStrip(bench_.workspace, this);
    outer->addWidget(controls_);
    scroll_ = new QScrollArea(this);
    scroll_->setWidgetResizable(true);
    scroll_->setFrameShape(QFrame::NoFrame);
    outer->addWidget(scroll_, 1);
    drop_ = new QFrame(this);
    drop_->setObjectName("bench-drop");
    drop_->setStyleSheet("background: " + colours().ember.name());
    drop_->hide();
    connect(&bench_.workspace, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (!isVisible()) return;
        if (diff.structural) rebuild();
        refreshAll();
    });
    connect(&bench_.listener, &Listener::changed, this, [this] {
        if (isVisible()) refreshAll();
    });
    connect(&bench_.tracer, &Tracer::traced, this, [this](const QString& row) {
        for (StageEditor* editor : editors_) {
            if (editor->rowId() == row.toStdString()) editor->refresh();
        }
    });
}

void BenchPage::open(const BoardPlace& place) {
    place_ = place;
    frozen_->setRow(place.row);
    controls_->setRow(place.column ? std::string() : place.row);
    built_.clear();
    if (!place.row.empty()) bench_.tracer.prefer(place.row);
    rebuild();
    if (!editors_.empty())
        editors_.front()->mainPlot()->setFocus();
    else if (auto* first = scroll_->widget()->findChild<QPushButton*>())
        first->setFocus();
    else if (add_->isVisibleTo(this))
        add_->setFocus();
}

void BenchPage::rebuild() {
    std::vector<std::pair<std::string, std::string>> wanted;
    const Session& session = bench_.workspace.session();
    for (const Row& row : session.rows) {
        if (!place_.row.empty() && row.id != place_.row) continue;
        for (const Stage& stage : row.chain) {
            if (!place_.column || processorType(stage.type).home == *place_.column)
                wanted.emplace_back(row.id, stage.id);
        }
    }
    // The place too: two steps may both hold nothing.
    std::string key = place_.row + "|" +
                      (place_.column ? std::to_string(static_cast<int>(*place_.column)) : "") + "|";
    for (const auto& [row, stage] : wanted) key.append(row).append("/").append(stage).append(" ");
    if (key == built_) return;
    built_ = key;
    const Row* row = findRow(session, place_.row);
    title_->setText(
        row == nullptr
            ? tr("%1, every row").arg(place_.column ? columnLabel(*place_.column) : QString())
        : place_.column
            ? QString::fromStdString(row->name) + ", " + columnLabel(*place_.column).toLower()
            : tr("%1, the whole chain").arg(QString::fromStdString(row->name)));
    const bool addable = row != nullptr && row->kind != RowKind::reference &&
                         place_.column != Column::align && place_.column != Column::seat;
    add_->setVisible(addable);
    copy_->setVisible(addable && !place_.column);
    chains_->setVisible(addable && !place_.column);
    const int at = scroll_->verticalScrollBar()->value();
    editors_.clear();
    auto* content = new QWidget;
    auto* box = new QVBoxLayout(content);
    box->setContentsMargins(4, 2, 4, 4);
    box->setSpacing(4);
    const bool full = place_.column && !place_.row.empty();
    for (const auto& [rowId, stageId] : wanted) {
        StageEditor* editor = makeEditor(bench_, rowId, stageId,
                                         full ? EditorSize::full : EditorSize::compact, content);
        if (editor == nullptr) continue;
        connect(editor, &StageEditor::dragged, this,
                [this, editor](const QPoint& where) { showDrop(editor, where); });
        connect(editor, &StageEditor::dropped, this,
                [this, editor](const QPoint& where) { drop(editor, where); });
        editors_.push_back(editor);
        box->addWidget(editor, full ? 1 : 0);
    }
    if (editors_.empty()) {
        if (addable && place_.column) {
            box->addWidget(emptyStep(content), 1);
        } else {
            auto* nothing = new QLabel(
                addable
                    ? tr("Nothing here yet. “Add” above puts a processor into this row’s chain.")
                    : tr("This row has no such step."),
                content);
            nothing->setAlignment(Qt::AlignCenter);
            nothing->setProperty("quiet", true);
            box->addWidget(nothing, 1);
        }
    } else if (!full) {
        box->addStretch(1);
    }
    scroll_->setWidget(content);
    scroll_->verticalScrollBar()->setValue(at);
}

// What belongs in a step that has nothing yet, and what each would do for this drum.
QWidget* BenchPage::emptyStep(QWidget* parent) {
    auto* page = new QWidget(parent);
    page->setObjectName("bench-empty");
    auto* box = new QVBoxLayout(page);
    box->setContentsMargins(16, 12, 16, 12);
    box->setSpacing(10);
    box->addWidget(titleLabel(tr("Nothing in this step yet"), page));
    const auto measured = bench_.listener.measured();
    const std::string drum = drumOfRow(bench_.workspace.session(), place_.row);
    const DrumTone* tone = nullptr;
    if (measured != nullptr) {
        for (const DrumTone& t : measured->tone) {
            if (!drum.empty() && t.drum == drum) tone = &t;
        }
    }
    for (const ProcessorType& type : processorTypes()) {
        if (type.home != *place_.column) continue;
        auto* line = new QHBoxLayout;
        auto* add = new QPushButton(tr("Add %1").arg(QString::fromStdString(type.label)), page);
        add->setObjectName(QString::fromStdString("bench-empty-" + type.id));
        add->setFixedWidth(150);
        connect(add, &QPushButton::clicked, this, [this, id = type.id] {
            bench_.workspace.addStage(place_.row, id);
            rebuild();
        });
        line->addWidget(add);
        QString text = QString::fromStdString(type.doc);
        if (tone != nullptr && !tone->typical.empty()) {
            const Change does = changeThrough(*tone, type.id, standardValues(type.table));
            const bool some =
                std::abs(does.crestDb) >= 0.05 || std::abs(does.transientToBodyDb) >= 0.05;
            text +=
                "\n" +
                (some ? tr("As it comes, on the %1’s strokes: crest %2 dB, attack against "
                           "body %3 dB.")
                            .arg(QString::fromStdString(drumName(bench_.workspace.session(), drum)),
                                 change(does.crestDb), change(does.transientToBodyDb))
                      : tr("As it comes it leaves the %1’s strokes as they are: it works once "
                           "it is set.")
                            .arg(QString::fromStdString(
                                drumName(bench_.workspace.session(), drum))));
        }
        auto* what = new QLabel(text, page);
        what->setWordWrap(true);
        what->setProperty("quiet", true);
        line->addWidget(what, 1);
        box->addLayout(line);
    }
    box->addStretch(1);
    return page;
}

// What can be added here: the processors of this step, or of every step on the bench of a row.
void BenchPage::fillAdd() {
    QMenu* menu = add_->menu();
    menu->clear();
    for (const ProcessorType& type : processorTypes()) {
        const bool fixed = type.home == Column::align || type.home == Column::seat;
        if (fixed || (place_.column && type.home != *place_.column)) continue;
        QAction* action = menu->addAction(QString::fromStdString(type.label));
        action->setToolTip(QString::fromStdString(type.doc));
        connect(action, &QAction::triggered, this, [this, id = type.id] {
            bench_.workspace.addStage(place_.row, id);
            rebuild();
        });
    }
}

void BenchPage::fillCopy() {
    QMenu* menu = copy_->menu();
    menu->clear();
    const Session& session = bench_.workspace.session();
    for (const std::string& to : chainTargets(session, place_.row)) {
        QAction* action = menu->addAction(QString::fromStdString(findRow(session, to)->name));
        action->setData(QString::fromStdString(to));
        connect(action, &QAction::triggered, this, [this, to] { emit copyAsked(place_.row, to); });
    }
}

// How many places an editor moves when it is let go there.
int BenchPage::placesTo(const StageEditor* editor, const QPoint& at) const {
    const auto from = std::find(editors_.begin(), editors_.end(), editor);
    auto to = from;
    for (auto e = editors_.begin(); e != editors_.end(); ++e) {
        if ((*e)->rowId() != editor->rowId()) continue;
        const int middle = (*e)->mapToGlobal(QPoint(0, (*e)->height() / 2)).y();
        if (e < from && at.y() < middle) return static_cast<int>(e - from);
        if (e > from && at.y() > middle) to = e;
    }
    return static_cast<int>(to - from);
}

void BenchPage::showDrop(const StageEditor* editor, const QPoint& at) {
    const int places = placesTo(editor, at);
    drop_->setVisible(places != 0);
    if (places == 0) return;
    const auto index = std::find(editors_.begin(), editors_.end(), editor) - editors_.begin();
    const StageEditor* target = editors_[static_cast<std::size_t>(index + places)];
    QWidget* content = scroll_->widget();
    const int y = target->y() + (places < 0 ? -3 : target->height() + 1);
    drop_->setParent(content);
    drop_->setGeometry(8, std::max(0, y), content->width() - 16, 3);
    drop_->show();
    drop_->raise();
}

void BenchPage::drop(const StageEditor* editor, const QPoint& at) {
    drop_->hide();
    drop_->setParent(this);  // the page is rebuilt with the new order
    const int places = placesTo(editor, at);
    if (places == 0) return;
    // Between two editors of one column there may be other steps of the chain.
    const auto index = std::find(editors_.begin(), editors_.end(), editor) - editors_.begin();
    const Row* row = findRow(bench_.workspace.session(), editor->rowId());
    const auto placeOf = [&](const StageEditor* e) {
        return std::find_if(row->chain.begin(), row->chain.end(),
                            [&](const Stage& s) { return s.id == e->stageId(); });
    };
    const auto steps = static_cast<int>(
        placeOf(editors_[static_cast<std::size_t>(index + places)]) - placeOf(editor));
    // Rebuilding removes the editor whose head was let go: not while it still handles the mouse.
    QMetaObject::invokeMethod(
        this,
        [this, id = editor->rowId(), stage = editor->stageId(), steps] {
            bench_.workspace.moveStage(id, stage, steps);
        },
        Qt::QueuedConnection);
}

void BenchPage::refreshAll() {
    for (StageEditor* editor : editors_) editor->refresh();
}

void BenchPage::tick() {
    for (StageEditor* editor : editors_) editor->tick();
}

void BenchPage::step(int rows, int columns) {
    const Session& session = bench_.workspace.session();
    BoardPlace next = place_;
    if (columns != 0 && place_.column) {
        const auto at = std::find(kColumns.begin(), kColumns.end(), *place_.column) -
                        kColumns.begin() + columns;
        if (at < 0 || at >= static_cast<std::ptrdiff_t>(kColumns.size())) return;
        next.column = kColumns[static_cast<std::size_t>(at)];
    }
    if (rows != 0 && !place_.row.empty()) {
        const Row* row = findRow(session, place_.row);
        if (row == nullptr) return;
        auto at = row - session.rows.data();
        // Rows without this step are passed over.
        for (;;) {
            at += rows;
            if (at < 0 || at >= static_cast<std::ptrdiff_t>(session.rows.size())) return;
            const auto& chain = session.rows[static_cast<std::size_t>(at)].chain;
            if (!place_.column || std::any_of(chain.begin(), chain.end(), [&](const Stage& s) {
                    return processorType(s.type).home == *place_.column;
                }))
                break;
        }
        next.row = session.rows[static_cast<std::size_t>(at)].id;
    }
    if (next == place_) return;
    open(next);
    emit moved(next);
}

void BenchPage::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape) {
        emit left();
        return;
    }
    QWidget::keyPressEvent(event);
}

}  // namespace ember::app
