// The manual beside the work: its chapters, its pictures, and words to look for.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QTextBrowser>
#include <QWidget>

namespace ember::app {

// A window of its own that stays open while one works.
class ManualWindow : public QWidget {
    Q_OBJECT
  public:
    explicit ManualWindow(QWidget* parent = nullptr);
    // Opens at a chapter; an unknown one leaves it where it is.
    void open(const QString& chapter);
    [[nodiscard]] QListWidget& chapters() { return *chapters_; }
    [[nodiscard]] QTextBrowser& text() { return *text_; }
    // The chapter that is read now.
    [[nodiscard]] QString chapter() const;

  protected:
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void fill();
    void lookFor(bool backward);
    void follow();  // the list shows which chapter is read

    QListWidget* chapters_ = nullptr;
    QTextBrowser* text_ = nullptr;
    QLineEdit* find_ = nullptr;
    QLabel* found_ = nullptr;
    bool going_ = false;  // to a chapter that was chosen
};

}  // namespace ember::app
