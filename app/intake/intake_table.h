// The rows of an intake: who each is and how sure, unsure ones first, to be corrected, heard,
// paired and parted before they become a session.
#pragma once

#include "core/advise/intake.h"

#include <QTableWidget>

#include <map>
#include <string>

namespace ember::app {

class IntakeTable : public QTableWidget {
    Q_OBJECT
  public:
    enum Field { kHear, kName, kRole, kGrounds, kKind, kFiles, kLevel, kRemarks, kFields };

    IntakeTable(AudioStore& store, QWidget* parent = nullptr);

    // Takes the rows over: unsure ones first, then in the order of a kit.
    void show(Intake intake);
    [[nodiscard]] const Intake& intake() const { return intake_; }
    void setTempo(double tempo) { intake_.tempo = tempo; }
    [[nodiscard]] int unsure() const;

    // What acts on the selected rows.
    [[nodiscard]] std::vector<int> chosen() const;
    [[nodiscard]] bool canPair() const;
    [[nodiscard]] bool canPart() const;
    void pair();
    void part();
    void setRole(Role role);
    void useFileNames(bool own);

  signals:
    void refused(const QString& sentence);
    void changed();
    // A row is to be heard: a session of it alone, looped where it is loudest. Empty: silence.
    void hearAsked(const ember::Session& session);

  protected:
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void sort();
    void fill();
    void fillRow(int row);
    void correct(int row, int column);
    void give(int row, Role role);
    void hear(int row);
    [[nodiscard]] IntakeEntry& entry(int row) {
        return intake_.entries[static_cast<std::size_t>(row)];
    }

    AudioStore& store_;
    Intake intake_;
    std::map<std::string, std::string> offered_;  // readable names by the file's own
    int heard_ = -1;
    bool filling_ = false;
};

}  // namespace ember::app
