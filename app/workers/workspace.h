// The open document: every edit of every view goes through here, and every view hears of it.
#pragma once

#include "core/audio/store.h"
#include "core/session/curves.h"
#include "core/session/diff.h"
#include "core/session/document.h"

#include <QObject>
#include <QString>
#include <QTimer>

#include <filesystem>
#include <functional>
#include <optional>
#include <string>

namespace ember::app {

// Window's thread only. Sources carry absolute paths while a session is open.
class Workspace : public QObject {
    Q_OBJECT
  public:
    explicit Workspace(QString recoveryFolder, QObject* parent = nullptr);
    ~Workspace() override;

    [[nodiscard]] const Session& session() const { return document_.session(); }
    [[nodiscard]] const Document& document() const { return document_; }
    [[nodiscard]] AudioStore& store() { return store_; }
    [[nodiscard]] bool empty() const { return session().rows.empty(); }
    [[nodiscard]] bool unsaved() const { return unsaved_; }
    [[nodiscard]] const QString& path() const { return path_; }
    [[nodiscard]] QString savedText() const;  // for the status line
    // Where prints and clips go: beside the session's file, or, as long as it has none, to a folder
    // of the application's own.
    [[nodiscard]] std::filesystem::path printFolder() const;

    // --- Opening and saving; throw Error, and then everything is as it was.
    void begin(const Session& session);  // a new session, not saved yet
    void open(const QString& path);
    void save(const QString& path);
    void close();

    // --- Edits. The ones by name say what is wrong through refused() instead of throwing.
    void edit(Session next, const std::string& gesture = {}, const std::vector<Why>& why = {});
    void endGesture() { document_.endGesture(); }
    void setValue(const std::string& row, const std::string& stage, const std::string& parameter,
                  double value, const std::string& gesture = {});
    void setStageOn(const std::string& row, const std::string& stage, bool on);
    void moveStage(const std::string& row, const std::string& stage, int steps);
    void setKey(const std::string& row, const std::string& stage, const std::string& key);
    void addStage(const std::string& row, const std::string& type);
    void duplicateStage(const std::string& row, const std::string& stage);
    void removeStage(const std::string& row, const std::string& stage);
    void usePreset(const std::string& row, const std::string& stage, const Stage& preset);
    void useChain(const std::string& row, std::vector<Stage> chain);
    void rename(const std::string& row, const std::string& name);
    void setRole(const std::string& row, Role role);
    void setBus(const std::string& row, const std::string& bus);
    void removeBus(const std::string& bus);
    // In place of the row's send to the same bus.
    void setSend(const std::string& row, const Send& send, const std::string& gesture = {});
    void removeSend(const std::string& row, const std::string& bus);
    void pair(const std::string& left, const std::string& right);
    void part(const std::string& row);
    void exchangeSides(const std::string& row);
    void setMute(const std::string& row, bool mute);
    void setSolo(const std::string& row, bool solo);
    // The row, then its bus, then everything.
    void stepSolo(const std::string& row);
    void setLoop(const LoopSpan& loop, const std::string& gesture = {});
    void undo();
    void redo();
    // Document::keepClip; nothing that is heard or drawn is another for it.
    void keepClip(const std::string& snapshot, std::int64_t taken, const MixClip& clip);

    // --- The logbook
    // A line that the program writes.
    void tell(const std::string& text);
    // A person's own lines and reasons (Document::addNote, explain).
    void addNote(const std::string& text, const std::string& row = {},
                 const std::string& stage = {}, std::optional<double> at = {});
    void explain(std::size_t line, const std::string& reason);

    // An edit that may be refused with a sentence.
    void attempt(const std::function<Session()>& make, const std::string& gesture = {});

    // --- Recovery after a crash: files left by processes that are gone.
    [[nodiscard]] static QStringList leftovers(const QString& recoveryFolder);
    // Opens a leftover as an unsaved session under its old path.
    void recover(const QString& file);
    static void discard(const QString& file);
    void autosave();

  signals:
    void opened();
    void changed(const ember::SessionDiff& diff);
    void savedChanged();
    void refused(const QString& sentence);
    // A person wants to draw how this moves along the song: the window shows where.
    void drawAsked(const ember::CurvePlace& place);

  private:
    void become(Document document, const QString& path, bool unsaved);
    void announce(const Session& before);
    [[nodiscard]] QString recoveryFile() const;

    AudioStore store_;
    Document document_;
    QString path_, recoveryFolder_;
    QTimer autosave_;
    bool unsaved_ = false, autosaved_ = false;
};

}  // namespace ember::app
