#include "app/window/key_sheet.h"

#include "app/widgets/labels.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QMenu>
#include <QVBoxLayout>

#include <initializer_list>

namespace ember::app {
namespace {

QTreeWidgetItem* groupOf(QTreeWidget* keys, const QString& name) {
    auto* group = new QTreeWidgetItem(keys, {name});
    QFont bold = group->font(0);
    bold.setBold(true);
    group->setFont(0, bold);
    group->setExpanded(true);
    return group;
}

}  // namespace

KeySheet::KeySheet(const QMenuBar& menus, QWidget* parent) : QDialog(parent) {
    setWindowTitle(tr("Keys"));
    setObjectName("key-sheet");
    resize(720, 640);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(tr("Every key"), this));
    words_ = new QLineEdit(this);
    words_->setObjectName("key-words");
    words_->setPlaceholderText(tr("A word of what you want to do, or a key"));
    words_->setAccessibleName(tr("Words"));
    words_->setClearButtonEnabled(true);
    box->addWidget(words_);
    keys_ = new QTreeWidget(this);
    keys_->setObjectName("key-list");
    keys_->setAccessibleName(tr("Keys and what they do"));
    keys_->setHeaderLabels({tr("Key"), tr("Does")});
    keys_->header()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    keys_->setRootIsDecorated(false);
    keys_->setWordWrap(true);
    box->addWidget(keys_, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    for (QAction* action : menus.actions()) {
        if (const QMenu* menu = action->menu()) addMenu(*menu);
    }
    addPages();
    connect(words_, &QLineEdit::textChanged, this, &KeySheet::filter);
}

void KeySheet::addMenu(const QMenu& menu) {
    QTreeWidgetItem* group = nullptr;
    for (const QAction* action : menu.actions()) {
        if (const QMenu* below = action->menu()) addMenu(*below);
        if (action->shortcut().isEmpty() || !action->isVisible()) continue;
        if (group == nullptr) group = groupOf(keys_, menu.title().remove('&'));
        // "Undo" says behind a colon what it would take back now.
        QString does = action->text().section(QStringLiteral(": "), 0, 0);
        does.replace(QStringLiteral("&&"), QStringLiteral("&"));
        new QTreeWidgetItem(group, {action->shortcut().toString(QKeySequence::NativeText), does});
    }
}

// What pages do with keys of their own.
void KeySheet::addPages() {
    struct Key {
        QString key, does;
    };
    const auto page = [this](const QString& name, std::initializer_list<Key> keys) {
        QTreeWidgetItem* group = groupOf(keys_, name);
        for (const Key& k : keys) new QTreeWidgetItem(group, {k.key, k.does});
    };
    page(tr("Board"), {{tr("Arrows"), tr("move the selection")},
                       {tr("Enter"), tr("opens the bench")},
                       {tr("O"), tr("switches the step off and on, as loud")},
                       {tr("B"), tr("before and after")},
                       {tr("M, S"), tr("mutes; solos the row, then its bus, then everything")},
                       {tr("R, F2"), tr("the row's menu; names it")},
                       {tr("F"), tr("folds a bus")},
                       {tr("A"), tr("accepts what is proposed")}});
    page(tr("Bench"), {{tr("↑ ↓, Page"), tr("step a number (Shift: fine)")},
                       {tr("Delete on a label"), tr("sets the default")},
                       {tr("Alt+↑ ↓"), tr("moves the step along its chain")},
                       {tr("↑ ↓, Page on a control"), tr("move all that it moves by 1 or 10 %")},
                       {tr("Enter on a control"), tr("what it moves, and its ends")},
                       {tr("Esc"), tr("gives up what is typed, then back to the Board")}});
    page(tr("Hits"), {{tr("← →"), tr("step from stroke to stroke")},
                      {tr("Alt+← →"), tr("moves the stroke by 1 ms (Shift: a sample)")},
                      {tr("1 2 3 4"), tr("name the kind: accent, normal, ghost, flam")},
                      {tr("Page ↑ ↓"), tr("how hard it is struck")},
                      {tr("Delete"), tr("takes the stroke away")},
                      {tr("Home, G"), tr("the whole song, one bar")},
                      {tr("C"), tr("curves under the time line")}});
    page(tr("Curves"), {{tr("Insert"), tr("a point at the playhead")},
                        {tr("← →"), tr("step from point to point")},
                        {tr("Alt+← →"), tr("moves the point in time (Shift: fine)")},
                        {tr("↑ ↓, Page"), tr("its value")},
                        {tr("1 2 3"), tr("holds, goes straight, eases to the next")},
                        {tr("Delete"), tr("takes the point away")}});
    page(tr("Flow and Bleed"), {{tr("Enter"), tr("sends there; turns a drum down or back")},
                                {tr("Ctrl+↑ ↓"), tr("steps the level (Shift: fine)")},
                                {tr("A number"), tr("is typed as the level")},
                                {tr("F, O, Delete"), tr("before the fader, feeds, takes away")},
                                {tr("M, S, R"), tr("as on the Board")}});
    page(tr("Compare"), {{tr("1, 2"), tr("hear A, hear B; the first, the second")},
                         {tr("3, 4"), tr("X of a blind test; only the change")}});
    page(tr("Layers"), {{tr("Insert, Delete"), tr("add a sound, take the layer away")},
                        {tr("O, P, D, F2"), tr("switch, turn over, double, name")},
                        {tr("A S D F …"), tr("strike the pads (Shift: hard, Alt: softly)")}});
}

void KeySheet::filter(const QString& words) {
    for (int g = 0; g < keys_->topLevelItemCount(); ++g) {
        QTreeWidgetItem* group = keys_->topLevelItem(g);
        bool any = false;
        for (int i = 0; i < group->childCount(); ++i) {
            QTreeWidgetItem* item = group->child(i);
            const bool shown = item->text(0).contains(words, Qt::CaseInsensitive) ||
                               item->text(1).contains(words, Qt::CaseInsensitive);
            item->setHidden(!shown);
            any = any || shown;
        }
        group->setHidden(!any);
    }
}

}  // namespace ember::app
