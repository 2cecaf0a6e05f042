#include "app/layers/print_dialog.h"

#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/base/background.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>

namespace ember::app {
namespace fs = std::filesystem;

PrintStackDialog::PrintStackDialog(Workspace& workspace, std::string row, QWidget* parent)
    : QDialog(parent), workspace_(workspace), row_(std::move(row)) {
    const Row* found = findRow(workspace_.session(), row_);
    const QString name = found != nullptr ? QString::fromStdString(found->name) : QString();
    setWindowTitle(tr("Print %1 to samples").arg(name));
    setObjectName("print-stack");
    setMinimumWidth(540);
    auto* form = new QFormLayout(this);
    form->setSpacing(8);
    form->addRow(titleLabel(tr("The stack as it sounds behind its chain"), this));
    auto* why = new QLabel(tr("Beside the samples stands the recipe, a session with the stack, "
                              "which opens like any other. More than one sample come with a map "
                              "(SFZ)."),
                           this);
    why->setWordWrap(true);
    why->setProperty("quiet", true);
    form->addRow(why);
    auto* line = new QHBoxLayout;
    folder_ = new QLineEdit(this);
    folder_->setObjectName("print-folder");
    folder_->setAccessibleName(tr("Folder for the samples"));
    const QString base =
        workspace_.path().isEmpty() ? QDir::homePath() : QFileInfo(workspace_.path()).path();
    folder_->setText(base + "/" + name + " samples");
    auto* browse = new QPushButton(tr("Choose …"), this);
    connect(browse, &QPushButton::clicked, this, [this] {
        const QString chosen =
            QFileDialog::getExistingDirectory(this, tr("Where the samples go"), folder_->text());
        if (!chosen.isEmpty()) folder_->setText(chosen);
    });
    line->addWidget(folder_, 1);
    line->addWidget(browse);
    form->addRow(tr("Folder"), line);
    const auto number = [&](const char* object, const QString& label, const QString& help) {
        auto* box = new QSpinBox(this);
        box->setObjectName(object);
        box->setRange(1, 16);
        box->setAccessibleName(label);
        box->setToolTip(help);
        form->addRow(label, box);
        return box;
    };
    steps_ = number("print-steps", tr("Steps of velocity"),
                    tr("The hardest is a full stroke, the others even steps below it."));
    variations_ = number("print-variations", tr("Of each, in turn"),
                         tr("As near-twins and rules by turns or by chance give them."));
    longest_ = new QDoubleSpinBox(this);
    longest_->setRange(0.1, 30.0);
    longest_->setSingleStep(0.5);
    longest_->setDecimals(1);
    longest_->setValue(6.0);
    longest_->setSuffix(tr(" s"));
    longest_->setAccessibleName(tr("Longest sample"));
    longest_->setToolTip(tr("A sample ends earlier where it is 90 dB under its peak."));
    form->addRow(tr("At most"), longest_);
    flac_ = new QCheckBox(tr("FLAC of 24 bit in place of WAV of 32-bit floats"), this);
    form->addRow({}, flac_);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    form->addRow(progress_);
    sentence_ = new QLabel(this);
    sentence_->setObjectName("print-sentence");
    sentence_->setWordWrap(true);
    sentence_->setMinimumHeight(36);
    form->addRow(sentence_);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch(1);
    close_ = new QPushButton(tr("Close"), this);
    go_ = new QPushButton(tr("Print"), this);
    go_->setObjectName("print-go");
    go_->setDefault(true);
    buttons->addWidget(close_);
    buttons->addWidget(go_);
    form->addRow(buttons);
    connect(close_, &QPushButton::clicked, this, &PrintStackDialog::reject);
    connect(go_, &QPushButton::clicked, this, &PrintStackDialog::print);
    connect(&running_, &QFutureWatcherBase::finished, this, &PrintStackDialog::finish);
}

PrintStackDialog::~PrintStackDialog() {
    abandon_ = true;
    running_.waitForFinished();
}

void PrintStackDialog::reject() {
    if (!printing()) return QDialog::reject();
    abandon_ = true;
}

void PrintStackDialog::print() {
    if (printing()) return;
    abandon_ = false;
    StackPrintOptions options;
    options.steps = steps_->value();
    options.variations = variations_->value();
    options.longest = longest_->value();
    options.flac = flac_->isChecked();
    go_->setEnabled(false);
    close_->setText(tr("Cancel"));
    const auto tell = [this](double part, const QString& what) {
        progress_->setValue(static_cast<int>(1000.0 * part));
        sentence_->setText(what);
    };
    running_.setFuture(QtConcurrent::run(
        [session = workspace_.session(), store = &workspace_.store(), row = row_, options,
         folder = fs::path(folder_->text().toStdString()),
         stopped = tr("Stopped; nothing was written."), watch = watchedBy(this, abandon_, tell)] {
            stepBack();
            return outcomeOf(
                stopped, [&] { return printStack(session, *store, row, folder, options, watch); });
        }));
}

void PrintStackDialog::finish() {
    progress_->setValue(0);
    go_->setEnabled(true);
    close_->setText(tr("Close"));
    const auto made = running_.result();
    if (!made.problem.isEmpty()) return sentence_->setText(made.problem);
    const auto& samples = made.value.samples;
    const auto loudest = std::max_element(
        samples.begin(), samples.end(),
        [](const StackSample& a, const StackSample& b) { return a.peakDb < b.peakDb; });
    sentence_->setText(
        (samples.size() == 1
             ? tr("“%1”, %2 s, peak %3 dBFS.")
                   .arg(QString::fromStdString(samples.front().file.filename().string()))
                   .arg(figure(samples.front().seconds, 2), figure(loudest->peakDb))
             : tr("%1 samples, the loudest peaks at %2 dBFS.")
                   .arg(samples.size())
                   .arg(figure(loudest->peakDb))) +
        QLatin1Char(' ') +
        tr("The recipe is “%1”.")
            .arg(QString::fromStdString(made.value.recipe.filename().string())));
}

}  // namespace ember::app
