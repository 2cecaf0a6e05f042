#include "app/compare/snapshot_list.h"

#include "app/widgets/labels.h"
#include "core/advise/mix_from.h"
#include "core/base/error.h"
#include "core/session/file.h"
#include "core/session/snapshot.h"

#include <QDateTime>
#include <QFileDialog>
#include <QGridLayout>
#include <QInputDialog>
#include <QVBoxLayout>

#include <array>

namespace ember::app {
namespace {

constexpr std::array kVerdicts{Verdict::open, Verdict::better, Verdict::worse, Verdict::same};

QString titled(Verdict verdict) {
    QString text = QString::fromUtf8(verdictLabel(verdict));
    if (!text.isEmpty()) text[0] = text[0].toUpper();
    return text;
}

}  // namespace

void askSnapshot(QWidget* parent, ClipKeeper& clips) {
    bool wanted = false;
    const QString name = QInputDialog::getText(
        parent, QObject::tr("Take a snapshot"),
        QObject::tr("What is it called? Without a name it gets the next number."),
        QLineEdit::Normal, {}, &wanted);
    if (wanted) clips.take(name.trimmed().toStdString());
}

SnapshotList::SnapshotList(Workspace& workspace, ClipKeeper& clips, QWidget* parent)
    : QWidget(parent), workspace_(workspace), clips_(clips) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    auto* head = new QHBoxLayout;
    auto* title = titleLabel(tr("Snapshots"), this);
    head->addWidget(title, 1);
    auto* take = new QPushButton(tr("Take one"), this);
    take->setObjectName("snapshot-take");
    take->setToolTip(
        tr("Keeps the mix as it stands: chains, routing, layers, what is programmed, and a few "
           "seconds of how it sounds: the loop, or eight from the playhead (Ctrl+T)."));
    connect(take, &QPushButton::clicked, this, [this] { askSnapshot(this, clips_); });
    head->addWidget(take);
    box->addLayout(head);
    empty_ = new QLabel(tr("None was taken yet. A snapshot is the whole mix under a name: go back "
                           "to it, or hear it beside what there is now."),
                        this);
    empty_->setProperty("quiet", true);
    empty_->setWordWrap(true);
    box->addWidget(empty_);
    list_ = new QListWidget(this);
    list_->setObjectName("snapshots");
    list_->setAccessibleName(title->text());
    list_->setWordWrap(true);
    list_->setSpacing(1);
    connect(list_, &QListWidget::currentRowChanged, this, &SnapshotList::showChosen);
    connect(list_, &QListWidget::itemActivated, this, [this] { emit wanted(chosen(), 1); });
    box->addWidget(list_, 1);
    auto* grid = new QGridLayout;
    grid->setSpacing(6);
    const auto button = [&](const QString& text, const char* name, const QString& tip, int row,
                            int column, auto&& what) {
        auto* made = namedButton(text, name, tip, this);
        connect(made, &QPushButton::clicked, this, what);
        grid->addWidget(made, row, column);
        needing_.push_back(made);
    };
    button(tr("As A"), "snapshot-a", tr("Hear it as the first of the two."), 0, 0,
           [this] { emit wanted(chosen(), 0); });
    button(tr("As B"), "snapshot-b", tr("Hear it as the second of the two (Enter)."), 0, 1,
           [this] { emit wanted(chosen(), 1); });
    button(tr("Go back to it"), "snapshot-use",
           tr("Its mix in place of the present one: one edit, which undo takes back."), 1, 0,
           [this] { use(); });
    button(tr("Rename …"), "snapshot-rename", tr("Another name."), 1, 1, [this] { rename(); });
    box->addLayout(grid);
    auto* judged = new QHBoxLayout;
    judged->setSpacing(6);
    verdict_ = new QComboBox(this);
    verdict_->setObjectName("snapshot-verdict");
    verdict_->setAccessibleName(tr("What was found of it"));
    verdict_->setToolTip(tr("What was found of it. The bad ones are worth keeping too."));
    for (const Verdict verdict : kVerdicts) verdict_->addItem(titled(verdict));
    connect(verdict_, &QComboBox::activated, this, &SnapshotList::judge);
    judged->addWidget(verdict_);
    note_ = new QLineEdit(this);
    note_->setObjectName("snapshot-note");
    note_->setAccessibleName(tr("A note on it"));
    note_->setPlaceholderText(tr("A note"));
    connect(note_, &QLineEdit::editingFinished, this, &SnapshotList::judge);
    judged->addWidget(note_, 1);
    box->addLayout(judged);
    button(tr("Its clip"), "snapshot-clip",
           tr("Plays how it sounded when it was taken, as loud as the mix is there. Once more: the "
              "mix again."),
           2, 0, [this] { clips_.hear(chosen()); });
    clip_ = needing_.back();
    clip_->setCheckable(true);
    button(tr("Drop it"), "snapshot-drop", tr("Forgets this snapshot; undo brings it back."), 2, 1,
           [this] { drop(); });
    connect(&clips_, &ClipKeeper::changed, this, &SnapshotList::showClip);
    auto* other = namedButton(tr("From another session …"), "snapshot-bring",
                              tr("A mix that was made elsewhere, on the rows of this session: kept "
                                 "as a snapshot, to be heard beside what there is."),
                              this);
    connect(other, &QPushButton::clicked, this, &SnapshotList::askOther);
    box->addWidget(other);
    connect(&workspace_, &Workspace::changed, this, &SnapshotList::refresh);
    connect(&workspace_, &Workspace::opened, this, &SnapshotList::refresh);
    refresh();
}

std::string SnapshotList::chosen() const {
    const QListWidgetItem* item = list_->currentItem();
    return item != nullptr ? item->data(Qt::UserRole).toString().toStdString() : std::string();
}

void SnapshotList::refresh() {
    const auto& snapshots = workspace_.session().snapshots;
    const std::string before = chosen();
    const bool more = static_cast<int>(snapshots.size()) > list_->count();
    const QSignalBlocker quiet(list_);
    list_->clear();
    // The latest on top.
    for (auto s = snapshots.rbegin(); s != snapshots.rend(); ++s) {
        QString text = QString::fromStdString(s->name) + "\n" +
                       QDateTime::fromSecsSinceEpoch(s->time).toString("yyyy-MM-dd  hh:mm") + ", " +
                       QString::fromUtf8(verdictLabel(s->verdict));
        if (!s->note.empty()) text += "\n" + QString::fromStdString(s->note);
        auto* item = new QListWidgetItem(text, list_);
        item->setData(Qt::UserRole, QString::fromStdString(s->id));
        if (s->id == before) list_->setCurrentItem(item);
    }
    if ((more || list_->currentItem() == nullptr) && list_->count() > 0) list_->setCurrentRow(0);
    empty_->setVisible(snapshots.empty());
    showChosen();
}

void SnapshotList::showChosen() {
    const Snapshot* snapshot = findSnapshot(workspace_.session(), chosen());
    for (QPushButton* button : needing_) button->setEnabled(snapshot != nullptr);
    verdict_->setEnabled(snapshot != nullptr);
    note_->setEnabled(snapshot != nullptr);
    verdict_->setCurrentIndex(snapshot != nullptr ? static_cast<int>(snapshot->verdict) : 0);
    note_->setText(snapshot != nullptr ? QString::fromStdString(snapshot->note) : QString());
    showClip();
}

void SnapshotList::showClip() {
    const Snapshot* snapshot = findSnapshot(workspace_.session(), chosen());
    clip_->setEnabled(snapshot != nullptr && snapshot->clip);
    clip_->setChecked(snapshot != nullptr && snapshot->id == clips_.heard());
}

void SnapshotList::askOther() {
    const QString file =
        QFileDialog::getOpenFileName(this, tr("The session whose mix is to be tried here"), {},
                                     tr("Ember Cask sessions (*.cask *.json);;All files (*)"));
    if (file.isEmpty()) return;
    QStringList names{tr("Its mix as it stands")};
    std::vector<std::string> ids{{}};
    try {
        const Document other = loadDocument(file.toStdString());
        for (const Snapshot& s : other.session().snapshots) {
            names << QString::fromStdString(s.name);
            ids.push_back(s.id);
        }
    } catch (const Error& error) {
        return emit workspace_.refused(QString::fromUtf8(error.what()));
    }
    int which = 0;
    if (names.size() > 1) {
        bool wanted = false;
        const QString name = QInputDialog::getItem(
            this, tr("From another session"), tr("Which of its mixes?"), names, 0, false, &wanted);
        if (!wanted) return;
        which = static_cast<int>(std::max<qsizetype>(0, names.indexOf(name)));
    }
    bring(file, ids[static_cast<std::size_t>(which)]);
}

void SnapshotList::bring(const QString& file, const std::string& which) {
    workspace_.attempt([&] {
        const std::filesystem::path other = file.toStdString();
        return withSnapshotFrom(workspace_.session(),
                                withAbsolutePaths(loadDocument(other).session(), other), which, {},
                                QDateTime::currentSecsSinceEpoch());
    });
}

void SnapshotList::use() {
    workspace_.attempt([&] { return withSnapshotUsed(workspace_.session(), chosen()); });
}

void SnapshotList::rename() {
    const Snapshot* snapshot = findSnapshot(workspace_.session(), chosen());
    if (snapshot == nullptr) return;
    bool wanted = false;
    const QString name =
        QInputDialog::getText(this, tr("Rename"), tr("What is it called?"), QLineEdit::Normal,
                              QString::fromStdString(snapshot->name), &wanted);
    if (!wanted) return;
    workspace_.attempt([&] {
        return withSnapshotNamed(workspace_.session(), chosen(), name.trimmed().toStdString());
    });
}

void SnapshotList::judge() {
    const Snapshot* snapshot = findSnapshot(workspace_.session(), chosen());
    if (snapshot == nullptr) return;
    const auto verdict = kVerdicts[static_cast<std::size_t>(verdict_->currentIndex())];
    const std::string note = note_->text().trimmed().toStdString();
    if (verdict == snapshot->verdict && note == snapshot->note) return;
    workspace_.attempt(
        [&] { return withSnapshotJudged(workspace_.session(), chosen(), verdict, note); });
}

void SnapshotList::drop() {
    if (chosen().empty()) return;
    workspace_.attempt([&] { return withSnapshotDropped(workspace_.session(), chosen()); });
}

}  // namespace ember::app
