#include "app/intake/intake_page.h"

#include "app/theme/theme.h"
#include "app/widgets/parameter_field.h"
#include "core/base/error.h"
#include "demo/kit.h"
#include "demo/mix.h"

#include <QComboBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHeaderView>
#include <QMimeData>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <array>
#include <cmath>

namespace ember::app {
namespace {

enum Field { kName, kRole, kKind, kFiles, kLevel, kRemarks, kFields };

constexpr std::array kRoles{Role::unknown,  Role::kickIn,      Role::kickOut,  Role::kick,
                            Role::snareTop, Role::snareBottom, Role::snare,    Role::hat,
                            Role::rackTom,  Role::floorTom,    Role::tom,      Role::ride,
                            Role::crash,    Role::overhead,    Role::room,     Role::percussion,
                            Role::kit,      Role::bass,        Role::reference};
constexpr std::array kKinds{RowKind::element, RowKind::guest, RowKind::reference};

QPushButton* primary(const QString& label, QWidget* parent) {
    auto* button = new QPushButton(label, parent);
    const Palette& p = colours();
    button->setStyleSheet(
        QString("QPushButton { background: %1; color: %2; border-color: %1; font-weight: 600; "
                "padding: 7px 16px; }"
                "QPushButton:disabled { background: transparent; color: %3; border-color: %3; }"
                "QPushButton:focus { border: 2px solid %4; }")
            .arg(p.ember.name(), p.onEmber.name(), p.quiet.name(), p.chalk.name()));
    return button;
}

}  // namespace

IntakePage::IntakePage(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace) {
    setObjectName("intake");
    setAcceptDrops(true);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(20, 16, 20, 16);
    pages_ = new QStackedWidget(this);
    pages_->addWidget(makeInvitation());
    pages_->addWidget(makeReview());
    outer->addWidget(pages_, 1);
    error_ = new QLabel(this);
    error_->setObjectName("intake-error");
    error_->setWordWrap(true);
    error_->hide();
    outer->addWidget(error_);
    progressLine_ = new QWidget(this);
    auto* line = new QHBoxLayout(progressLine_);
    line->setContentsMargins(0, 0, 0, 0);
    doing_ = new QLabel(progressLine_);
    doing_->setMinimumWidth(260);
    progress_ = new QProgressBar(progressLine_);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    cancel_ = new QPushButton(tr("Cancel"), progressLine_);
    connect(cancel_, &QPushButton::clicked, this, &IntakePage::cancel);
    line->addWidget(doing_);
    line->addWidget(progress_, 1);
    line->addWidget(cancel_);
    progressLine_->hide();
    outer->addWidget(progressLine_);
    connect(&running_, &QFutureWatcher<void>::finished, this, [this] {
        progressLine_->hide();
        build_->setEnabled(true);
        const auto outcome = std::exchange(outcome_, nullptr);
        const auto then = std::exchange(then_, nullptr);
        if (!outcome || outcome->cancelled) return;
        if (!outcome->error.isEmpty()) {
            error_->setText(outcome->error);
            error_->show();
            return;
        }
        then(*outcome);
    });
}

IntakePage::~IntakePage() {
    abandon_ = true;
    running_.waitForFinished();
}

QWidget* IntakePage::makeInvitation() {
    auto* page = new QWidget(this);
    auto* box = new QVBoxLayout(page);
    box->setAlignment(Qt::AlignCenter);
    box->setSpacing(14);
    auto* title = new QLabel(tr("Drop a drum recording here"), page);
    title->setFont(face(26, QFont::DemiBold));
    title->setStyleSheet("font-size: 26px; font-weight: 600;");
    title->setAlignment(Qt::AlignCenter);
    auto* words =
        new QLabel(tr("A folder with one file a microphone, or the files themselves: WAV, AIFF, "
                      "FLAC, Ogg or CAF, any rate.\n"
                      "Ember Cask recognises the drums, pairs left and right, groups them and "
                      "looks for what is unusual.\nYour recordings are only read, never written."),
                   page);
    words->setAlignment(Qt::AlignCenter);
    words->setProperty("quiet", true);
    auto* buttons = new QHBoxLayout;
    buttons->setAlignment(Qt::AlignCenter);
    auto* folder = primary(tr("Choose a folder …"), page);
    auto* files = new QPushButton(tr("Choose files …"), page);
    auto* open = new QPushButton(tr("Open a session …"), page);
    auto* demo = new QPushButton(tr("Open the demo kit"), page);
    for (QPushButton* button : {folder, files, open, demo}) buttons->addWidget(button);
    files->setStyleSheet("padding: 7px 16px;");
    open->setStyleSheet("padding: 7px 16px;");
    demo->setStyleSheet("padding: 7px 16px;");
    demo->setObjectName("open-demo");
    connect(folder, &QPushButton::clicked, this, [this] {
        const QString chosen =
            QFileDialog::getExistingDirectory(this, tr("Choose a folder of recordings"));
        if (!chosen.isEmpty()) take({chosen});
    });
    connect(files, &QPushButton::clicked, this, [this] {
        const QStringList chosen = QFileDialog::getOpenFileNames(
            this, tr("Choose recordings"), {},
            tr("Audio (*.wav *.bwf *.aif *.aiff *.flac *.ogg *.caf *.w64 *.rf64);;All files (*)"));
        if (!chosen.isEmpty()) take(chosen);
    });
    connect(open, &QPushButton::clicked, this, &IntakePage::wantOpen);
    connect(demo, &QPushButton::clicked, this, [this] { takeDemo({}); });
    box->addWidget(title);
    box->addWidget(words);
    box->addSpacing(8);
    box->addLayout(buttons);
    return page;
}

QWidget* IntakePage::makeReview() {
    auto* page = new QWidget(this);
    auto* box = new QVBoxLayout(page);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(8);
    auto* head = new QHBoxLayout;
    summary_ = new QLabel(page);
    summary_->setProperty("title", true);
    head->addWidget(summary_, 1);
    head->addWidget(new QLabel(tr("Tempo"), page));
    tempo_ = new QLineEdit(page);
    tempo_->setFixedWidth(84);
    tempo_->setAlignment(Qt::AlignRight);
    tempo_->setAccessibleName(tr("Tempo in beats a minute"));
    tempo_->setToolTip(
        tr("Beats a minute, measured from the recording. Type another one when it is wrong; half "
           "and double are common mistakes."));
    head->addWidget(tempo_);
    auto* half = new QPushButton(tr("Half"), page);
    auto* twice = new QPushButton(tr("Double"), page);
    connect(half, &QPushButton::clicked, this,
            [this] { tempo_->setText(QString::number(tempo_->text().toDouble() / 2.0, 'f', 2)); });
    connect(twice, &QPushButton::clicked, this,
            [this] { tempo_->setText(QString::number(tempo_->text().toDouble() * 2.0, 'f', 2)); });
    head->addWidget(half);
    head->addWidget(twice);
    box->addLayout(head);
    table_ = new QTableWidget(0, kFields, page);
    table_->setObjectName("intake-table");
    table_->setHorizontalHeaderLabels(
        {tr("Name"), tr("Role"), tr("Part"), tr("Recording"), tr("Peak"), tr("Unusual")});
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(36);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Interactive);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    for (const auto& [field, width] : std::initializer_list<std::pair<int, int>>{
             {kName, 170}, {kRole, 190}, {kKind, 130}, {kFiles, 250}, {kLevel, 90}})
        table_->setColumnWidth(field, width);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setWordWrap(false);
    connect(table_, &QTableWidget::cellChanged, this, &IntakePage::correct);
    box->addWidget(table_, 1);
    unusual_ = new QLabel(page);
    unusual_->setObjectName("intake-refused");
    unusual_->setWordWrap(true);
    box->addWidget(unusual_);
    auto* foot = new QHBoxLayout;
    auto* again = new QPushButton(tr("Start over"), page);
    connect(again, &QPushButton::clicked, this, &IntakePage::startOver);
    build_ = primary(tr("Go to the Board"), page);
    build_->setObjectName("intake-build");
    connect(build_, &QPushButton::clicked, this, &IntakePage::build);
    foot->addWidget(again);
    auto* hint =
        new QLabel(tr("Correct names, roles and parts in the table. Guests are heard beside the "
                      "drums but are no part of the mix; references are only compared with."),
                   page);
    hint->setProperty("quiet", true);
    hint->setWordWrap(true);
    foot->addWidget(hint, 1);
    foot->addWidget(build_);
    box->addLayout(foot);
    return page;
}

void IntakePage::startOver() {
    intake_ = {};
    error_->hide();
    pages_->setCurrentIndex(0);
}

void IntakePage::work(const QString& what, std::function<void(Outcome&, const Progress&)> job,
                      std::function<void(Outcome&)> then) {
    if (running_.isRunning()) return;
    error_->hide();
    doing_->setText(what);
    progress_->setValue(0);
    progressLine_->show();
    cancel_->setFocus();
    build_->setEnabled(false);
    abandon_ = false;
    auto outcome = std::make_shared<Outcome>();
    outcome_ = outcome;
    then_ = std::move(then);
    running_.setFuture(QtConcurrent::run([this, outcome, job = std::move(job)] {
        const Progress report = [this](double share, const std::string& doing) {
            QMetaObject::invokeMethod(this, [this, share, words = QString::fromStdString(doing)] {
                progress_->setValue(static_cast<int>(share * 1000.0));
                doing_->setText(doing_->fontMetrics().elidedText(words, Qt::ElideMiddle, 320));
            });
            return !abandon_.load();
        };
        try {
            job(*outcome, report);
        } catch (const Cancelled&) {
            outcome->cancelled = true;
        } catch (const std::exception& e) {
            outcome->error = QString::fromUtf8(e.what());
        }
    }));
}

void IntakePage::take(const QStringList& paths) {
    std::vector<std::filesystem::path> files;
    for (const QString& path : paths) files.emplace_back(path.toStdString());
    AudioStore* store = &workspace_.store();
    work(
        tr("Reading"),
        [files, store](Outcome& out, const Progress& progress) {
            out.intake = takeIn(files, *store, {}, progress);
        },
        [this](Outcome& out) {
            intake_ = std::move(out.intake);
            showIntake();
        });
}

void IntakePage::takeDemo(const QString& chosen) {
    AudioStore* store = &workspace_.store();
    const std::filesystem::path folder = chosen.isEmpty()
                                             ? store->folder() / "demo-kit"
                                             : std::filesystem::path(chosen.toStdString());
    work(
        tr("Simulating the demo kit"),
        [folder, store](Outcome& out, const Progress& progress) {
            if (!std::filesystem::exists(folder / "truth.json")) {
                report(progress, 0.05, "Simulating the demo kit, some ten seconds");
                const demo::Recording recording = demo::record({});
                report(progress, 0.4, "Writing the demo kit");
                demo::writeRecording(recording, folder);
            }
            const Progress rest = [&progress](double share, const std::string& what) {
                return !progress || progress(0.5 + 0.5 * share, what);
            };
            out.session =
                demo::demoMix(sessionFrom(takeIn({folder}, *store, {}, rest), *store, rest));
            out.haveSession = true;
        },
        [this](Outcome& out) {
            workspace_.begin(out.session);
            emit built();
        });
}

void IntakePage::showIntake() {
    filling_ = true;
    table_->setRowCount(static_cast<int>(intake_.entries.size()));
    for (int row = 0; row < table_->rowCount(); ++row) fillRow(row);
    filling_ = false;
    summary_->setText(tr("%1: %2 elements at %3 kHz")
                          .arg(QString::fromStdString(intake_.name))
                          .arg(intake_.entries.size())
                          .arg(intake_.sampleRate / 1000.0));
    tempo_->setText(QString::number(intake_.tempo, 'f', 2));
    QStringList refused;
    for (const std::string& sentence : intake_.refused) refused << QString::fromStdString(sentence);
    unusual_->setText(refused.join("\n"));
    unusual_->setVisible(!refused.isEmpty());
    pages_->setCurrentIndex(1);
    table_->setCurrentCell(0, kName);
    build_->setFocus();
}

void IntakePage::fillRow(int row) {
    const IntakeEntry& e = intake_.entries[static_cast<std::size_t>(row)];
    const auto item = [&](int column, const QString& words, bool editable = false) {
        auto* cell = new QTableWidgetItem(words);
        cell->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable |
                       (editable ? Qt::ItemIsEditable : Qt::NoItemFlags));
        cell->setToolTip(words);
        table_->setItem(row, column, cell);
        return cell;
    };
    item(kName, QString::fromStdString(e.name), true);
    item(kFiles,
         QString::fromStdString(e.format) +
             (e.sources.size() == 2 && e.sources[0].file != e.sources[1].file ? tr(", two files")
                                                                              : QString()));
    item(kLevel, e.peakDb < -90.0
                     ? tr("silent")
                     : (e.peakDb < 0 ? QStringLiteral("−%1 dB") : QStringLiteral("%1 dB"))
                           .arg(std::abs(e.peakDb), 0, 'f', 1));
    QStringList remarks;
    for (const std::string& remark : e.remarks) remarks << QString::fromStdString(remark);
    item(kRemarks, remarks.isEmpty() ? tr("nothing") : remarks.join(" "));
    auto* role = new QComboBox(table_);
    for (const Role r : kRoles) role->addItem(spoken(std::string(roleLabel(r))));
    role->setCurrentIndex(
        static_cast<int>(std::find(kRoles.begin(), kRoles.end(), e.role) - kRoles.begin()));
    role->setToolTip(e.foundBy == "name"
                         ? tr("Recognised by its name.")
                         : (e.foundBy == "sound" ? tr("Recognised by its sound; please check.")
                                                 : tr("Not recognised; please choose.")));
    role->setAccessibleName(tr("Role of %1").arg(QString::fromStdString(e.name)));
    connect(role, &QComboBox::activated, this, [this, row](int index) {
        intake_.entries[static_cast<std::size_t>(row)].role =
            kRoles[static_cast<std::size_t>(index)];
    });
    table_->setCellWidget(row, kRole, role);
    auto* kind = new QComboBox(table_);
    for (const RowKind k : kKinds) kind->addItem(spoken(std::string(toString(k))));
    kind->setCurrentIndex(
        static_cast<int>(std::find(kKinds.begin(), kKinds.end(), e.kind) - kKinds.begin()));
    kind->setAccessibleName(tr("Part of %1").arg(QString::fromStdString(e.name)));
    connect(kind, &QComboBox::activated, this, [this, row](int index) {
        intake_.entries[static_cast<std::size_t>(row)].kind =
            kKinds[static_cast<std::size_t>(index)];
    });
    table_->setCellWidget(row, kKind, kind);
}

void IntakePage::correct(int row, int column) {
    if (filling_ || column != kName) return;
    const QString name = table_->item(row, kName)->text().trimmed();
    if (name.isEmpty()) {
        filling_ = true;
        table_->item(row, kName)
            ->setText(QString::fromStdString(intake_.entries[static_cast<std::size_t>(row)].name));
        filling_ = false;
        error_->setText(tr("A row needs a name; the old one stays."));
        error_->show();
        return;
    }
    intake_.entries[static_cast<std::size_t>(row)].name = name.toStdString();
}

void IntakePage::build() {
    bool good = false;
    const double tempo = tempo_->text().toDouble(&good);
    if (!good || tempo < 20.0 || tempo > 400.0) {
        error_->setText(tr("The tempo takes a number from 20 to 400 beats a minute, not “%1”.")
                            .arg(tempo_->text()));
        error_->show();
        tempo_->setFocus();
        return;
    }
    intake_.tempo = tempo;
    AudioStore* store = &workspace_.store();
    work(
        tr("Building the session"),
        [intake = intake_, store](Outcome& out, const Progress& progress) {
            out.session = sessionFrom(intake, *store, progress);
            out.haveSession = true;
        },
        [this](Outcome& out) {
            workspace_.begin(out.session);
            emit built();
        });
}

void IntakePage::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls() && !busy()) event->acceptProposedAction();
}

void IntakePage::dropEvent(QDropEvent* event) {
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls()) {
        if (url.isLocalFile()) paths << url.toLocalFile();
    }
    if (paths.isEmpty()) return;
    event->acceptProposedAction();
    take(paths);
}

}  // namespace ember::app
