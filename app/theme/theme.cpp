#include "app/theme/theme.h"

#include "print/fonts.h"

#include <QApplication>
#include <QPalette>
#include <QStyleFactory>
#include <QWidget>

#include <algorithm>
#include <array>
#include <cmath>

// Resources of a static library have to be asked for, outside any namespace.
static void loadResources() {
    Q_INIT_RESOURCE(app);
}

namespace ember::app {
namespace {

const Palette kDark{QColor("#17130F"), QColor("#211B16"), QColor("#3B3129"), QColor("#EDE4D8"),
                    QColor("#A39687"), QColor("#EE6C33"), QColor("#E0B252"), QColor("#5FA898"),
                    QColor("#8AA4BE"), QColor("#E5484D"), QColor("#17130F"), QColor("#6E6154")};
const Palette kLight{QColor("#F4EDE1"), QColor("#FBF7EF"), QColor("#D3C5B0"), QColor("#2A211A"),
                     QColor("#6B5D4F"), QColor("#D9561F"), QColor("#8A6410"), QColor("#2B6F62"),
                     QColor("#44607C"), QColor("#B3262C"), QColor("#17130F"), QColor("#B3A48F")};
Look current = Look::dark;

QString styleSheet(const Palette& p) {
    QString sheet = R"(
QWidget { color: CHALK; font-size: 13px; }
QMainWindow, QDialog { background: COAL; }
QToolTip { background: STAVE; color: CHALK; border: 1px solid HOOP; padding: 5px; }
QPushButton, QToolButton { background: STAVE; border: 1px solid HOOP; border-radius: 4px; padding: 4px 10px; min-height: 18px; }
QPushButton:hover, QToolButton:hover { border-color: QUIET; }
QPushButton:checked, QToolButton:checked { background: EMBER; color: ONEMBER; border-color: EMBER; }
QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
QPushButton#evidence-accept { background: EMBER; color: ONEMBER; border-color: EMBER; font-weight: 600; }
QPushButton:disabled, QToolButton:disabled { color: QUIET; border-color: HOOP; }
QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus, QCheckBox:focus { border: 1px solid EMBER; }
QLineEdit, QComboBox { background: COAL; border: 1px solid HOOP; border-radius: 4px; padding: 3px 6px; min-height: 18px;
  selection-background-color: EMBER; selection-color: ONEMBER; }
QLineEdit:disabled, QComboBox:disabled { color: QUIET; border-style: dashed; }
QLineEdit[refused="true"] { border: 2px solid ALARM; }
QComboBox::drop-down { border: none; width: 20px; }
QComboBox::down-arrow { image: url(:/theme/icons/arrow-LOOK.png); width: 10px; height: 6px; }
QComboBox QAbstractItemView { background: STAVE; border: 1px solid HOOP; selection-background-color: EMBER; selection-color: ONEMBER; }
QCheckBox { spacing: 6px; border: 1px solid transparent; border-radius: 4px; padding: 2px; }
QCheckBox::indicator { width: 14px; height: 14px; border: 1px solid QUIET; border-radius: 3px; background: COAL; }
QCheckBox::indicator:checked { background: EMBER; border-color: EMBER; image: url(:/theme/icons/check.png); }
QTreeView::indicator { width: 14px; height: 14px; border: 1px solid QUIET; border-radius: 3px; background: COAL; }
QTreeView::indicator:checked { background: EMBER; border-color: EMBER; image: url(:/theme/icons/check.png); }
QTreeView::indicator:indeterminate { background: QUIET; }
QTreeView { background: STAVE; alternate-background-color: COAL; border: 1px solid HOOP; selection-background-color: HOOP; selection-color: CHALK; }
QRadioButton::indicator { width: 12px; height: 12px; border: 1px solid QUIET; border-radius: 7px; background: COAL; }
QRadioButton::indicator:checked { background: EMBER; border-color: EMBER; }
QRadioButton:focus { color: EMBER; }
QMenu { background: STAVE; border: 1px solid HOOP; padding: 4px; }
QMenu::item { padding: 5px 22px; border-radius: 3px; }
QMenu::item:selected { background: EMBER; color: ONEMBER; }
QMenu::item:disabled { color: QUIET; }
QMenu::separator { height: 1px; background: HOOP; margin: 4px 8px; }
QMenuBar { background: COAL; } QMenuBar::item { padding: 4px 9px; border-radius: 3px; }
QMenuBar::item:selected { background: STAVE; }
QTableWidget, QListWidget { background: STAVE; alternate-background-color: COAL; gridline-color: HOOP; border: 1px solid HOOP; selection-background-color: HOOP; selection-color: CHALK; }
QHeaderView::section { background: COAL; color: QUIET; border: none; border-bottom: 1px solid HOOP; padding: 5px; }
QTableCornerButton::section { background: COAL; border: none; }
QProgressBar { background: COAL; border: 1px solid HOOP; border-radius: 4px; text-align: center; min-height: 18px; }
QProgressBar::chunk { background: EMBER; border-radius: 3px; }
QScrollArea, QAbstractScrollArea { background: COAL; border: none; }
QScrollBar:vertical { background: COAL; width: 11px; } QScrollBar:horizontal { background: COAL; height: 11px; }
QScrollBar::handle { background: HOOP; border-radius: 5px; min-height: 30px; min-width: 30px; }
QScrollBar::handle:hover { background: QUIET; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: none; }
QTextBrowser { background: STAVE; border: 1px solid HOOP; padding: 12px; }
QSlider::groove:horizontal { background: HOOP; height: 4px; border-radius: 2px; }
QSlider::handle:horizontal { background: CHALK; width: 12px; margin: -5px 0; border-radius: 6px; }
QSlider::handle:horizontal:focus { background: EMBER; }
QLabel[quiet="true"] { color: QUIET; }
QLabel[title="true"] { font-size: 16px; font-weight: 600; }
QFrame[panel="true"] { background: STAVE; border: 1px solid HOOP; border-radius: 6px; }
)";
    const std::array<std::pair<const char*, QColor>, 9> words{{{"COAL", p.coal},
                                                               {"STAVE", p.stave},
                                                               {"HOOP", p.hoop},
                                                               {"CHALK", p.chalk},
                                                               {"QUIET", p.quiet},
                                                               {"ONEMBER", p.onEmber},
                                                               {"EMBER", p.ember},
                                                               {"ALARM", p.alarm},
                                                               {"PATINA", p.patina}}};
    sheet.replace("LOOK", current == Look::dark ? "dark" : "light");
    for (const auto& [word, colour] : words) sheet.replace(word, colour.name());
    return sheet;
}

double luminance(const QColor& c) {
    const auto linear = [](double v) {
        return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
    };
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
}

}  // namespace

const Palette& colours() {
    return current == Look::dark ? kDark : kLight;
}
Look look() {
    return current;
}

void applyLook(QApplication& application, Look look) {
    current = look;
    static const bool loaded = [] {
        loadResources();
        loadFonts();
        return true;
    }();
    (void)loaded;
    const Palette& p = colours();
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    QPalette q;
    q.setColor(QPalette::Window, p.coal);
    q.setColor(QPalette::Base, p.stave);
    q.setColor(QPalette::AlternateBase, p.coal);
    q.setColor(QPalette::Button, p.stave);
    for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
        q.setColor(role, p.chalk);
    q.setColor(QPalette::PlaceholderText, p.quiet);
    q.setColor(QPalette::Highlight, p.ember);
    q.setColor(QPalette::HighlightedText, p.onEmber);
    q.setColor(QPalette::Link, p.slate);
    QApplication::setPalette(q);
    QApplication::setFont(face(13));
    application.setStyleSheet(styleSheet(p));
    for (QWidget* widget : QApplication::allWidgets()) widget->update();
}

QFont face(int pixels, QFont::Weight weight) {
    QFont font("Inter");
    font.setPixelSize(pixels);
    font.setWeight(weight);
    return font;
}

QColor hoopColour(int index) {
    // Violets, blues and browns: away from ember, honey, patina and alarm.
    static const std::array<QColor, 6> hues{QColor("#9C7FB8"), QColor("#6F86C4"),
                                            QColor("#B58A6A"), QColor("#7A93A8"),
                                            QColor("#B07A9B"), QColor("#8A8FA0")};
    return hues[static_cast<std::size_t>(std::max(0, index)) % hues.size()];
}

double contrast(const QColor& a, const QColor& b) {
    const double x = luminance(a), y = luminance(b);
    return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

}  // namespace ember::app
