#include "app/layers/library_dialog.h"

#include "app/widgets/certainty.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "app/widgets/quiet_table.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/session/layers.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QTimer>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>

namespace ember::app {
namespace {

enum LibraryColumn { kName, kDrum, kLength, kNote, kBright, kHint, kUnlike };
constexpr int kMostShown = 400;

// A session in which a file alone is heard, as it is.
Session alone(const QString& file, int rate) {
    Session session;
    session.sampleRate = rate;
    Row row;
    row.id = row.name = "sound";
    row.kind = RowKind::element;
    row.parent = "main";
    row.sources = {{file.toStdString(), ""}};
    row.chain = makeChain(RowKind::element);
    Row main;
    main.id = main.name = "main";
    main.kind = RowKind::main;
    main.chain = makeChain(RowKind::main);
    session.rows = {row, main};
    return session;
}

}  // namespace

LibraryDialog::LibraryDialog(Workspace& workspace, Player& player,
                             const std::filesystem::path& index, QWidget* parent)
    : QDialog(parent), workspace_(workspace), player_(player), library_(index) {
    setObjectName("library");
    setWindowTitle(tr("Library of sounds"));
    resize(860, 520);
    build();
    fillFolders();
    connect(&scanning_, &QFutureWatcher<void>::finished, this, &LibraryDialog::finishScan);
    connect(&searching_, &QFutureWatcher<void>::finished, this, &LibraryDialog::finishSearch);
    connect(this, &QDialog::finished, this, [this] {
        if (player_.previewing()) hear();  // it stops
    });
    auto* tick = new QTimer(this);
    connect(tick, &QTimer::timeout, this, [this] {
        if (scanWork_) progress_->setValue(scanWork_->done);
    });
    tick->start(60);
    search();
    if (!library_.remark().empty()) state_->setText(QString::fromStdString(library_.remark()));
}

LibraryDialog::~LibraryDialog() {
    if (scanWork_) scanWork_->stop = true;
    scanning_.waitForFinished();
    searching_.waitForFinished();
    if (player_.previewing()) player_.preview(std::nullopt);
}

void LibraryDialog::build() {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(14, 12, 14, 12);
    box->setSpacing(8);
    box->addWidget(titleLabel(tr("Library of sounds"), this));
    auto* above = new QHBoxLayout;
    folders_ = new QListWidget(this);
    folders_->setObjectName("library-folders");
    folders_->setAccessibleName(tr("Folders of the library"));
    folders_->setFixedHeight(64);
    above->addWidget(folders_, 1);
    auto* side = new QVBoxLayout;
    const auto button = [&](const char* name, const QString& text, const QString& tip) {
        auto* made = new QPushButton(text, this);
        made->setObjectName(name);
        made->setToolTip(tip);
        made->setAutoDefault(false);
        return made;
    };
    scan_ = button("library-scan", tr("Add a folder …"),
                   tr("Listens to every one-shot below it; only what is new or changed is read."));
    connect(scan_, &QPushButton::clicked, this, [this] {
        if (scanning()) {
            scanWork_->stop = true;
            return;
        }
        const QString folder =
            QFileDialog::getExistingDirectory(this, tr("A folder with one-shots"));
        if (!folder.isEmpty()) scan({folder.toStdString()});
    });
    forget_ = button("library-forget", tr("Forget it"),
                     tr("Takes the chosen folder out of the library; its files stay."));
    connect(forget_, &QPushButton::clicked, this, [this] {
        if (folders_->currentItem() == nullptr || scanning()) return;
        library_.forget(folders_->currentItem()->text().toStdString());
        fillFolders();
        search();
    });
    side->addWidget(scan_);
    side->addWidget(forget_);
    above->addLayout(side);
    box->addLayout(above);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    progress_->setFixedHeight(6);
    progress_->hide();
    box->addWidget(progress_);
    auto* line = new QHBoxLayout;
    words_ = new QLineEdit(this);
    words_->setObjectName("library-words");
    words_->setAccessibleName(tr("Words in the path"));
    words_->setPlaceholderText(tr("Words in the path"));
    connect(words_, &QLineEdit::textChanged, this, &LibraryDialog::search);
    line->addWidget(words_, 1);
    drum_ = new QComboBox(this);
    drum_->setObjectName("library-drum");
    drum_->setAccessibleName(tr("Drum"));
    drum_->addItem(tr("every drum"), QString());
    for (const Role role : {Role::kick, Role::snare, Role::hat, Role::rackTom, Role::floorTom,
                            Role::ride, Role::crash, Role::percussion})
        drum_->addItem(roleName(role), QString::fromUtf8(toString(role).data()));
    connect(drum_, &QComboBox::activated, this, &LibraryDialog::search);
    line->addWidget(drum_);
    auto* like = button("library-like", tr("Like the chosen layer"),
                        tr("The most alike first, whatever their pitch, level and brightness."));
    connect(like, &QPushButton::clicked, this, &LibraryDialog::likeAsked);
    line->addWidget(like);
    box->addLayout(line);
    table_ = quietTable({tr("Sound"), tr("Drum"), tr("Length"), tr("Note"), tr("Brightness"),
                         tr("Done to it"), tr("Unlike")},
                        this);
    table_->setObjectName("library-table");
    table_->setAccessibleName(tr("Sounds that were found"));
    table_->installEventFilter(this);
    connect(table_, &QTableWidget::cellDoubleClicked, this, [this] { hear(); });
    box->addWidget(table_, 1);
    state_ = new QLabel(this);
    state_->setObjectName("library-state");
    state_->setProperty("quiet", true);
    state_->setWordWrap(true);
    box->addWidget(state_);
    auto* foot = new QHBoxLayout;
    hear_ = button("library-hear", tr("Hear it"), tr("As it is, in place of the mix (Space)."));
    connect(hear_, &QPushButton::clicked, this, &LibraryDialog::hear);
    foot->addWidget(hear_);
    foot->addStretch(1);
    take_ = button("library-take", tr("As a new layer"), tr("Enter"));
    instead_ = button("library-instead", tr("In place of the chosen layer"), tr("Ctrl+Enter"));
    connect(take_, &QPushButton::clicked, this, [this] { emit taken(chosenFile(), false); });
    connect(instead_, &QPushButton::clicked, this, [this] { emit taken(chosenFile(), true); });
    auto* close = button("library-close", tr("Close"), {});
    connect(close, &QPushButton::clicked, this, &QDialog::reject);
    for (QPushButton* b : {take_, instead_, close}) foot->addWidget(b);
    box->addLayout(foot);
}

void LibraryDialog::fillFolders() {
    folders_->clear();
    for (const auto& folder : library_.folders())
        folders_->addItem(QString::fromStdString(folder.string()));
    if (folders_->count() > 0) folders_->setCurrentRow(0);
    forget_->setEnabled(folders_->count() > 0);
}

void LibraryDialog::scan(const std::vector<std::filesystem::path>& folders) {
    if (scanning()) return;
    scanWork_ = std::make_shared<Work>();
    progress_->setValue(0);
    progress_->show();
    scan_->setText(tr("Stop"));
    state_->setText(tr("Listening …"));
    scanning_.setFuture(QtConcurrent::run([this, work = scanWork_, folders] {
        try {
            work->scan = library_.scan(folders, [work](double part, const std::string&) {
                work->done = static_cast<int>(1000.0 * part);
                return !work->stop.load();
            });
        } catch (const Cancelled&) {
            work->failure = tr("Stopped; what was read stays.");
        } catch (const std::exception& error) {
            work->failure = QString::fromUtf8(error.what());
        }
    }));
}

void LibraryDialog::finishScan() {
    progress_->hide();
    scan_->setText(tr("Add a folder …"));
    const LibraryScan& scan = scanWork_->scan;
    fillFolders();
    search();
    if (!scanWork_->failure.isEmpty()) return state_->setText(scanWork_->failure);
    QString text =
        tr("%1 read, %2 known, %3 gone.").arg(scan.added).arg(scan.unchanged).arg(scan.gone);
    if (!scan.refused.empty())
        text += QLatin1Char(' ') + tr("%1 could not be used: %2")
                                       .arg(scan.refused.size())
                                       .arg(QString::fromStdString(scan.refused.front()));
    state_->setText(text);
}

void LibraryDialog::search() {
    LibrarySearch search;
    search.words = words_->text().toStdString();
    search.limit = kMostShown;
    if (const QString drum = drum_->currentData().toString(); !drum.isEmpty())
        search.role = roleFrom(drum.toStdString());
    std::vector<LibraryMatch> found;
    for (LibrarySound& s : library_.search(search)) found.push_back({std::move(s), 0.0});
    fill(found, false);
    const std::size_t all = library_.size();
    state_->setText(all == 0 ? tr("The library is empty: add a folder with one-shots.")
                             : tr("%1 of %2 sounds").arg(found.size()).arg(all));
}

void LibraryDialog::showSimilar(const std::filesystem::path& file, const QString& name) {
    if (searching()) return;
    searchWork_ = std::make_shared<Work>();
    searchWork_->name = name;
    LibrarySearch within;
    within.limit = 50;
    if (const QString drum = drum_->currentData().toString(); !drum.isEmpty())
        within.role = roleFrom(drum.toStdString());
    state_->setText(tr("Comparing …"));
    searching_.setFuture(QtConcurrent::run([this, work = searchWork_, file, within] {
        try {
            work->found = library_.similar(featuresOf(file), within, hashFile(file));
        } catch (const std::exception& error) {
            work->failure = QString::fromUtf8(error.what());
        }
    }));
}

void LibraryDialog::finishSearch() {
    if (!searchWork_->failure.isEmpty()) return state_->setText(searchWork_->failure);
    fill(searchWork_->found, true);
    state_->setText(tr("Most like “%1” first").arg(searchWork_->name));
}

void LibraryDialog::fill(const std::vector<LibraryMatch>& found, bool likeness) {
    table_->setRowCount(static_cast<int>(found.size()));
    for (int r = 0; r < table_->rowCount(); ++r) {
        const LibraryMatch& match = found[static_cast<std::size_t>(r)];
        const SoundFeatures& f = match.sound.features;
        const auto put = [&](int column, const QString& text, const QString& tip = {}) {
            putText(table_, r, column, text, tip, column > kDrum);
        };
        put(kName, QString::fromStdString(soundName(match.sound.file.string())),
            QString::fromStdString(match.sound.file.string()));
        put(kDrum, roleName(match.sound.role) +
                       (match.sound.sure < kSureEnough ? QStringLiteral("?") : QString()));
        put(kLength, tr("%1 s").arg(figure(f.seconds, 2)));
        put(kNote, f.fundamentalHz > 0.0 ? tr("%1 Hz").arg(figure(f.fundamentalHz, 0))
                                         : QStringLiteral("–"));
        put(kBright, tr("%1 kHz").arg(figure(0.001 * f.brightnessHz, 1)));
        put(kHint, QString::fromUtf8(toString(f.hint)));
        put(kUnlike, likeness ? figure(match.distance, 1) : QString());
    }
    table_->setColumnHidden(kUnlike, !likeness);
    if (!found.empty()) table_->setCurrentCell(0, kName);
    for (QPushButton* b : {take_, instead_, hear_}) b->setEnabled(!found.empty());
}

QString LibraryDialog::chosenFile() const {
    const QTableWidgetItem* item = table_->item(table_->currentRow(), kName);
    return item != nullptr ? item->toolTip() : QString();
}

void LibraryDialog::hear() {
    if (player_.previewing() && player_.playing()) {
        player_.stop();
        player_.preview(std::nullopt);
        return;
    }
    if (chosenFile().isEmpty()) return;
    player_.preview(alone(chosenFile(), workspace_.session().sampleRate));
    player_.play();
}

// The table would choose with it.
bool LibraryDialog::eventFilter(QObject* object, QEvent* event) {
    if (object == table_ && event->type() == QEvent::KeyPress &&
        static_cast<QKeyEvent*>(event)->key() == Qt::Key_Space) {
        hear();
        return true;
    }
    return QDialog::eventFilter(object, event);
}

void LibraryDialog::keyPressEvent(QKeyEvent* event) {
    if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) &&
        !chosenFile().isEmpty()) {
        emit taken(chosenFile(), event->modifiers().testFlag(Qt::ControlModifier));
        return;
    }
    QDialog::keyPressEvent(event);
}

}  // namespace ember::app
