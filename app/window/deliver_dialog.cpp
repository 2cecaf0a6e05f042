#include "app/window/deliver_dialog.h"

#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/session/file.h"
#include "print/recall_pdf.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QMessageBox>
#include <QSettings>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>

namespace ember::app {
namespace {

// Rates that are asked for; the first stands for the session's.
constexpr std::array kRates{0, 44100, 48000, 88200, 96000};
enum Kind { kNone, kWav, kFlac };
// Recall sheets, by what their files end in.
constexpr std::array kSheets{"pdf", "html", "md", "csv"};

bool anything(const DeliveryOrder& order) {
    return !order.mixes.empty() || order.stems || order.groups || order.strokes || order.oneShots;
}

QString quoted(const QString& text) {
    return "“" + text + "”";
}

}  // namespace

DeliverDialog::DeliverDialog(Workspace& workspace, Listener& listener, bool remember,
                             QWidget* parent)
    : QDialog(parent), workspace_(workspace), listener_(listener), remember_(remember) {
    setWindowTitle(tr("Deliver"));
    setMinimumWidth(600);
    auto* form = new QFormLayout(this);
    form->setSpacing(8);
    form->addRow(titleLabel(tr("What leaves the house"), this));
    auto* line = new QHBoxLayout;
    folder_ = new QLineEdit(this);
    folder_->setObjectName("deliver-folder");
    folder_->setAccessibleName(tr("Folder to write to"));
    folder_->setText(workspace.path().isEmpty() ? QDir::homePath()
                                                : QFileInfo(workspace.path()).path());
    auto* browse = new QPushButton(tr("Choose …"), this);
    connect(browse, &QPushButton::clicked, this, [this] {
        const QString chosen =
            QFileDialog::getExistingDirectory(this, tr("Deliver to"), folder_->text());
        if (!chosen.isEmpty()) folder_->setText(chosen);
    });
    line->addWidget(folder_, 1);
    line->addWidget(browse);
    form->addRow(tr("Folder"), line);
    names_ = new QLineEdit(QString::fromUtf8(kUsualNames.data(), kUsualNames.size()), this);
    names_->setObjectName("deliver-names");
    names_->setAccessibleName(tr("Names of the files"));
    names_->setToolTip(
        tr("{song} is the session’s name, {what} the mix or the row, {rate} the "
           "rate in kHz, {bits} the depth; anything else stays as it is."));
    form->addRow(tr("Names"), names_);
    example_ = new QLabel(this);
    example_->setObjectName("deliver-example");
    example_->setWordWrap(true);
    example_->setProperty("quiet", true);
    form->addRow({}, example_);
    const std::array labels{tr("The mix as"), tr("and as"), tr("and as")};
    for (std::size_t i = 0; i < forms_.size(); ++i) form->addRow(labels[i], makeForm(i));
    stems_ = makeCheck(tr("Stems of every element, before and through its buses (32 bit float)"),
                       "deliver-stems");
    groups_ =
        makeCheck(tr("Stems of every group, through its buses (32 bit float)"), "deliver-groups");
    returns_ = new QComboBox(this);
    returns_->setObjectName("deliver-returns");
    returns_->setAccessibleName(tr("What stems give parallels and spaces"));
    // In the order of Returns.
    returns_->addItems({tr("in every stem its share"), tr("every one a stem of its own"),
                        tr("a wet stem beside every dry one")});
    returns_->setToolTip(
        tr("Whether the stems of elements and groups have parallels and spaces in them. Together "
           "all of them sum to the mix in any case; what is left of it is measured and said."));
    connect(returns_, &QComboBox::currentIndexChanged, this, &DeliverDialog::refresh);
    strokes_ = makeCheck(tr("The strokes as MIDI"), "deliver-strokes");
    shots_ = makeCheck(tr("Every drum’s strokes as the mix has them, soft to hard, as samples"),
                       "deliver-one-shots");
    const LoopSpan& loop = workspace.session().loop;
    loopOnly_ = makeCheck(tr("Only the loop"), "deliver-loop", loop.to > loop.from);
    loopOnly_->setToolTip(tr("Mixes and stems; strokes and one-shots are of the whole song."));
    guests_ = makeCheck(tr("With the guests"), "deliver-guests");
    for (QCheckBox* one : {stems_, groups_}) form->addRow({}, one);
    form->addRow(tr("Parallels, spaces"), returns_);
    for (QCheckBox* one : {strokes_, shots_, loopOnly_, guests_}) form->addRow({}, one);
    auto* sheets = new QHBoxLayout;
    const std::array sheetNames{QStringLiteral("PDF"), QStringLiteral("HTML"),
                                QStringLiteral("Markdown"), QStringLiteral("CSV")};
    for (std::size_t s = 0; s < kSheets.size(); ++s) {
        QCheckBox* one =
            makeCheck(sheetNames[s], (std::string("deliver-sheet-") + kSheets[s]).c_str());
        one->setAccessibleName(tr("The recall sheet as %1").arg(sheetNames[s]));
        one->setToolTip(
            tr("Every setting in real units, with its reason, so that another person "
               "can dial it in elsewhere."));
        sheets->addWidget(one);
        sheets_.push_back(one);
    }
    sheets->addStretch(1);
    form->addRow(tr("Recall sheet"), sheets);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    // What comes later has its room from the beginning: nothing is squeezed then.
    QSizePolicy room = progress_->sizePolicy();
    room.setRetainSizeWhenHidden(true);
    progress_->setSizePolicy(room);
    progress_->hide();
    form->addRow(progress_);
    state_ = new QLabel(this);
    state_->setWordWrap(true);
    state_->setMinimumHeight(3 * fontMetrics().lineSpacing());
    state_->setAlignment(Qt::AlignTop);
    form->addRow(state_);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch(1);
    close_ = new QPushButton(tr("Close"), this);
    go_ = new QPushButton(tr("Deliver"), this);
    go_->setDefault(true);
    go_->setObjectName("deliver-go");
    buttons->addWidget(close_);
    buttons->addWidget(go_);
    form->addRow(buttons);
    connect(close_, &QPushButton::clicked, this, &DeliverDialog::reject);
    connect(go_, &QPushButton::clicked, this, &DeliverDialog::askAndStart);
    connect(&running_, &QFutureWatcher<void>::finished, this, &DeliverDialog::ended);
    for (QLineEdit* edit : {folder_, names_})
        connect(edit, &QLineEdit::textChanged, this, &DeliverDialog::refresh);
    setMix(0, kWav, 1, 0);
    bringBack();
    go_->setFocus();
}

void DeliverDialog::bringBack() {
    if (!remember_) return;
    const QSettings settings;
    if (!settings.contains("deliver/names")) return;
    names_->setText(settings.value("deliver/names").toString());
    if (settings.value("deliver/session").toString() == workspace_.path() &&
        QFileInfo(settings.value("deliver/folder").toString()).isDir())
        folder_->setText(settings.value("deliver/folder").toString());
    for (std::size_t i = 0; i < forms_.size(); ++i) {
        const QStringList was = settings.value(QString("deliver/mix-%1").arg(i + 1)).toStringList();
        if (was.size() == 3) setMix(i, was[0].toInt(), was[1].toInt(), was[2].toInt());
    }
    returns_->setCurrentIndex(
        std::clamp(settings.value("deliver/returns").toInt(), 0, returns_->count() - 1));
    const QStringList on = settings.value("deliver/on").toStringList();
    for (QCheckBox* check : findChildren<QCheckBox*>())
        check->setChecked(check->isEnabled() && on.contains(check->objectName()));
}

void DeliverDialog::keepChoices() const {
    if (!remember_) return;
    QSettings settings;
    settings.setValue("deliver/names", names_->text());
    settings.setValue("deliver/session", workspace_.path());
    settings.setValue("deliver/folder", folder_->text().trimmed());
    for (std::size_t i = 0; i < forms_.size(); ++i)
        settings.setValue(QString("deliver/mix-%1").arg(i + 1),
                          QStringList{QString::number(forms_[i].kind->currentIndex()),
                                      QString::number(forms_[i].depth->currentIndex()),
                                      QString::number(forms_[i].rate->currentIndex())});
    settings.setValue("deliver/returns", returns_->currentIndex());
    QStringList on;
    for (const QCheckBox* check : findChildren<QCheckBox*>()) {
        if (check->isChecked()) on << check->objectName();
    }
    settings.setValue("deliver/on", on);
}

DeliverDialog::~DeliverDialog() {
    abandon_ = true;
    running_.waitForFinished();
}

QWidget* DeliverDialog::makeForm(std::size_t which) {
    auto* box = new QWidget(this);
    auto* line = new QHBoxLayout(box);
    line->setContentsMargins(0, 0, 0, 0);
    Form& form = forms_[which];
    const auto combo = [&](const char* part, const QString& name, const QStringList& texts) {
        auto* made = new QComboBox(box);
        made->setObjectName(QString("deliver-%1-%2").arg(part).arg(which + 1));
        made->setAccessibleName(name.arg(which + 1));
        made->addItems(texts);
        connect(made, &QComboBox::currentIndexChanged, this, &DeliverDialog::refresh);
        line->addWidget(made);
        return made;
    };
    form.kind = combo("kind", tr("Form of mix %1"), {tr("nothing"), "WAV", "FLAC"});
    form.depth = combo("depth", tr("Depth of mix %1"),
                       {tr("16 bit, dithered"), tr("24 bit"), tr("32 bit float")});
    QStringList rates{tr("the session’s rate")};
    for (const int rate : kRates) {
        if (rate > 0) rates << QString::fromStdString(kilohertzText(rate)) + " kHz";
    }
    form.rate = combo("rate", tr("Rate of mix %1"), rates);
    form.depth->setCurrentIndex(1);
    line->addStretch(1);
    return box;
}

QCheckBox* DeliverDialog::makeCheck(const QString& text, const char* name, bool possible) {
    auto* check = new QCheckBox(text, this);
    check->setObjectName(name);
    check->setEnabled(possible);
    connect(check, &QCheckBox::toggled, this, &DeliverDialog::refresh);
    return check;
}

void DeliverDialog::setMix(std::size_t which, int kind, int depth, int rate) {
    forms_[which].kind->setCurrentIndex(kind);
    forms_[which].depth->setCurrentIndex(depth);
    forms_[which].rate->setCurrentIndex(rate);
    refresh();
}

DeliveryOrder DeliverDialog::order() const {
    DeliveryOrder order;
    order.folder = folder_->text().trimmed().toStdString();
    order.names = names_->text().toStdString();
    for (const Form& form : forms_) {
        if (form.kind->currentIndex() == kNone) continue;
        constexpr std::array depths{SampleDepth::pcm16, SampleDepth::pcm24, SampleDepth::float32};
        order.mixes.push_back({form.kind->currentIndex() == kFlac,
                               depths[static_cast<std::size_t>(form.depth->currentIndex())],
                               kRates[static_cast<std::size_t>(form.rate->currentIndex())]});
    }
    order.stems = stems_->isChecked();
    order.groups = groups_->isChecked();
    order.returns = static_cast<Returns>(returns_->currentIndex());
    order.strokes = strokes_->isChecked();
    order.oneShots = shots_->isChecked();
    order.options.withGuests = guests_->isChecked();
    order.options.tail = true;
    if (loopOnly_->isChecked()) {
        order.options.from = workspace_.session().loop.from;
        order.options.to = workspace_.session().loop.to;
    }
    return order;
}

Session DeliverDialog::struck() const {
    return listener_.withStrokesHeard(workspace_.session());
}

std::vector<std::filesystem::path> DeliverDialog::sheetFiles() const {
    std::vector<std::filesystem::path> out;
    const Session& session = workspace_.session();
    const DeliveryOrder wanted = order();
    for (std::size_t s = 0; s < sheets_.size(); ++s) {
        if (sheets_[s]->isChecked())
            out.push_back(wanted.folder / (deliveredName(wanted.names, session.name, "recall sheet",
                                                         session.sampleRate, 0) +
                                           "." + kSheets[s]));
    }
    return out;
}

std::vector<std::filesystem::path> DeliverDialog::everyFile() const {
    const DeliveryOrder wanted = order();
    std::vector<std::filesystem::path> out = sheetFiles();
    if (out.empty() || anything(wanted)) {
        const auto files = filesOf(struck(), wanted);
        out.insert(out.begin(), files.begin(), files.end());
    }
    return out;
}

// What would be written, or why it cannot be.
void DeliverDialog::refresh() {
    if (guests_ == nullptr || go_ == nullptr) return;  // still being built
    for (const Form& form : forms_) {
        const bool on = form.kind->currentIndex() != kNone;
        form.depth->setEnabled(on);
        form.rate->setEnabled(on);
    }
    returns_->setEnabled(stems_->isChecked() || groups_->isChecked());
    try {
        const auto files = everyFile();
        const QString first = QString::fromStdString(files.front().filename().string());
        example_->setText(
            files.size() == 1
                ? first
                : tr("%1, and %n more", nullptr, static_cast<int>(files.size()) - 1).arg(first));
        go_->setEnabled(!running_.isRunning());
    } catch (const std::exception& error) {
        example_->setText(QString::fromUtf8(error.what()));
        go_->setEnabled(false);
    }
}

void DeliverDialog::askAndStart() {
    QStringList there;
    for (const auto& file : everyFile()) {
        if (QFileInfo::exists(QString::fromStdString(file.string())))
            there << QString::fromStdString(file.filename().string());
    }
    if (!there.isEmpty() &&
        QMessageBox::question(this, tr("Replace?"),
                              there.size() == 1
                                  ? tr("%1 exists. Replace it?").arg(quoted(there[0]))
                                  : tr("%1 and %2 more of these files exist. Replace them?")
                                        .arg(quoted(there[0]))
                                        .arg(there.size() - 1)) != QMessageBox::Yes)
        return;
    start();
}

void DeliverDialog::start() {
    if (running_.isRunning()) return;
    abandon_ = false;
    error_.clear();
    finished_.clear();
    go_->setEnabled(false);
    close_->setText(tr("Cancel"));
    state_->setText(tr("Rendering …"));
    progress_->show();
    keepChoices();
    // A table of settings holds no figures.
    const bool figures = std::any_of(sheets_.begin(), sheets_.end() - 1,
                                     [](const QCheckBox* sheet) { return sheet->isChecked(); });
    running_.setFuture(QtConcurrent::run([this, order = order(), figures,
                                          sheets = sheetFiles().size(), session = struck(),
                                          store = &workspace_.store()] {
        const Progress watch = [this](double done, const std::string&) {
            QMetaObject::invokeMethod(this, [this, value = static_cast<int>(done * 1000.0)] {
                progress_->setValue(value);
            });
            return !abandon_.load();
        };
        try {
            const bool files = anything(order);
            const Delivered done =
                files ? deliver(session, *store, order, within(watch, 0.0, figures ? 0.7 : 1.0))
                      : Delivered{};
            if (figures)
                recalled_ = recallFigures(session, *store, session.strokes.get(),
                                          within(watch, files ? 0.7 : 0.0, 1.0));
            const std::size_t written = done.files.size() + sheets;
            finished_ = written < 2 ? tr("Done.") : tr("Done: %1 files.").arg(written);
            if (!order.mixes.empty())
                finished_ += tr(" The mix: %1 LUFS, true peak %2 dBTP.")
                                 .arg(figure(done.mix.loudness.integrated),
                                      figure(done.mix.loudness.truePeak));
            if (done.mix.tail > 0)
                finished_ +=
                    tr(" It rings on for %1 s after the last recording.")
                        .arg(figure(static_cast<double>(done.mix.tail) / session.sampleRate, 2));
            if (order.stems || order.groups)
                finished_ += tr(" %1 the mix within %2 dBFS.")
                                 .arg(QString::fromStdString(sumsText(order.returns)))
                                 .arg(figure(done.stems.throughBusesDb, 0));
            if ((order.stems || order.groups) && !done.stems.busesReplayExactly)
                finished_ += tr(" A nonlinear bus makes more impossible.");
            for (const std::string& remark : done.remarks)
                finished_ += "\n" + QString::fromStdString(remark);
        } catch (const std::exception& e) {
            error_ = QString::fromUtf8(e.what());
        }
    }));
}

void DeliverDialog::ended() {
    close_->setText(tr("Close"));
    if (error_.isEmpty()) {
        try {
            const RecallSheet sheet = recallSheet(workspace_.document(), recalled_);
            for (const std::filesystem::path& file : sheetFiles()) {
                makeFolder(file.parent_path());
                writeRecall(sheet, file);
            }
        } catch (const std::exception& e) {
            error_ = QString::fromUtf8(e.what());
        }
    }
    progress_->setValue(error_.isEmpty() ? 1000 : 0);
    state_->setText(error_.isEmpty() ? finished_ : error_);
    refresh();
    emit finishedWith(state_->text(), error_.isEmpty());
}

void DeliverDialog::reject() {
    if (running_.isRunning()) {
        abandon_ = true;
        return;
    }
    QDialog::reject();
}

}  // namespace ember::app
