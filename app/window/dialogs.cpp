// The window's smaller dialogs: device; and the manual at the right place.

#include "app/widgets/labels.h"
#include "app/window/main_window.h"

#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QVBoxLayout>

#include <array>
#include <utility>

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
    form->addRow(titleLabel(tr("Where the sound goes"), &dialog));
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

// At the chapter of what is on the screen.
void MainWindow::showManual() {
    if (manual_ == nullptr) manual_ = new ManualWindow(this);
    const QWidget* page = pages_->currentWidget();
    const std::array<std::pair<const QWidget*, QString>, 9> chapters{
        {{intake_, "Taking in"},
         {board_, "The Board"},
         {bench_, "The bench"},
         {hits_, "Hits"},
         {kit_, "Kit"},
         {layers_, "Layers and programmed kits"},
         {compare_, "Compare"},
         {reference_, "A record"},
         {logbook_, "Logbook and delivery"}}};
    QString chapter;
    for (const auto& [of, name] : chapters) {
        if (page == of) chapter = name;
    }
    if (page == flow_)
        chapter = flow_->side() == FlowSide::bleed    ? "Bleed"
                  : flow_->side() == FlowSide::lowEnd ? "Low end"
                                                      : "Flow";
    manual_->open(chapter);
}

}  // namespace ember::app
