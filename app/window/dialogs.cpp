// The window's smaller dialogs: device and manual.

#include "app/window/main_window.h"

#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFile>
#include <QFormLayout>
#include <QTextBrowser>
#include <QVBoxLayout>

#include <array>

namespace ember::app {

void MainWindow::chooseDevice() {
    QDialog dialog(this);
    dialog.setWindowTitle(tr("Sound device"));
    dialog.setMinimumWidth(460);
    auto* form = new QFormLayout(&dialog);
    auto* list = new QComboBox(&dialog);
    auto* block = new QComboBox(&dialog);
    std::vector<DeviceRequest> requests{{"", "", 48000, 256}};
    list->addItem(tr("Whatever there is"));
    for (const DeviceInfo& info : listDevices()) {
        list->addItem(QString::fromStdString(info.name + " (" + info.backend + ")") +
                      (info.preferred ? tr(", usual") : QString()));
        requests.push_back({info.backend, info.name, 48000, 256});
    }
    list->addItem(tr("Simulated device (silent)"));
    requests.push_back({"clock", "", 48000, 256});
    constexpr std::array blocks{32, 64, 128, 256, 512, 1024, 2048};
    for (const int frames : blocks) block->addItem(tr("%1 frames").arg(frames));
    block->setCurrentIndex(3);
    auto* title = new QLabel(tr("Where the sound goes"), &dialog);
    title->setProperty("title", true);
    form->addRow(title);
    form->addRow(tr("Device"), list);
    form->addRow(tr("Block"), block);
    auto* hint =
        new QLabel(tr("Smaller blocks answer sooner, larger ones are safer. The device runs at the "
                      "session's rate; where it cannot, a simulated one stands in."),
                   &dialog);
    hint->setWordWrap(true);
    hint->setProperty("quiet", true);
    form->addRow(hint);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, &dialog);
    connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    form->addRow(buttons);
    if (dialog.exec() != QDialog::Accepted) return;
    DeviceRequest request = requests[static_cast<std::size_t>(list->currentIndex())];
    request.block = blocks[static_cast<std::size_t>(block->currentIndex())];
    player_.useDevice(request);
}

void MainWindow::showManual() {
    QDialog dialog(this);
    dialog.setWindowTitle(tr("Manual"));
    dialog.resize(820, 640);
    auto* box = new QVBoxLayout(&dialog);
    auto* text = new QTextBrowser(&dialog);
    QFile manual(":/manual.md");
    if (manual.open(QIODevice::ReadOnly)) text->setMarkdown(QString::fromUtf8(manual.readAll()));
    box->addWidget(text);
    dialog.exec();
}

}  // namespace ember::app
