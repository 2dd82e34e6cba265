// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"
#include "app/session/view_state.h"
#include "core/output/output.h"

#include <QTimer>
#include <QWidget>

#include <optional>

class QCheckBox;
class QLabel;
class QHBoxLayout;
class QLayout;
class QLineEdit;
class QPushButton;
class QVBoxLayout;

namespace bindrel {

class BuildPanel;
class ConflictView;
class FileList;
class SearchPanel;
class SourceText;

/// The files of C before they are written: their state against the disk, their text with the hue of the part that
/// caused each line, the difference, and the write itself.
class SourceStation : public QWidget {
    Q_OBJECT
public:
    SourceStation(Document& document, ViewState& view, QWidget* parent = nullptr);

    FileList* files() const { return files_; }
    QLineEdit* folder() const { return folder_; }
    QLineEdit* prefix() const { return prefix_; }
    SourceText* text() const { return text_; }
    QLineEdit* search() const { return search_; }
    SearchPanel* searchPanel() const { return found_; }
    BuildPanel* buildPanel() const { return build_; }
    ConflictView* conflictView() const { return conflict_; }
    QString shownFile() const { return shownFile_; }
    /// Writes without asking; true when it was done.
    bool writeNow();
    /// How many files differ from the disk.
    int waiting() const;
    void retheme();
    /// Looks at the disk at once instead of after a pause.
    void refreshNow() { refreshPreview(); }

public Q_SLOTS:
    /// Shows the list of what will be changed, and writes when the person agrees.
    void write();
    /// Asks for the layout of the project, and makes it an edit.
    void askForLayout();
    /// Shows earlier texts of the folder's files, which can be restored.
    void showEarlier();
    /// Builds what stands in the folder.
    void build();

Q_SIGNALS:
    void waitingChanged();
    void written(const QString& folder);

protected:
    void showEvent(QShowEvent*) override;

private:
    QWidget* makeFiles();
    void searchByKeys();
    QLayout* makeWriting();
    QLayout* makeFields();
    void addTexts(QVBoxLayout& main);
    QLayout* makeBuildRow();
    void follow();
    void takeFieldsAsTyped();
    void refresh();
    /// What a write would do to a folder, and why it cannot be done.
    struct Look {
        std::vector<FileChange> files;
        std::vector<std::string> notes;
        OutputPreview::First first;
        std::shared_ptr<const Source> formatted; ///< as the tree of the folder lays C out; null: as the snapshot has it
        std::shared_ptr<const Snapshot> formattedOf;
        std::string trouble, owner;
    };
    static Look look(const std::shared_ptr<const Snapshot>& of, const std::filesystem::path& folder,
                     Ownership ownership, const Settlements& settlements, const Background::Stopped& stopped);
    /// As it is shown and written.
    const Source& source() const;
    void show(Look seen);
    void refreshPreview();
    /// The same beside the interface.
    void refreshBeside();
    void showCommand();
    void showFile(const QString& name);
    void showLine(const QString& file, int line);
    void findText();
    void settle(const QString& file, const QString& piece, const std::optional<PieceChoice>& choice);
    void showTrace(int line);
    void markNeed();
    /// The folder is the plan's from now on.
    void takeFolder();
    QString defaultFolder() const;
    Ownership ownership() const;

    Document& document_;
    ViewState& view_;
    FileList* files_ = nullptr;
    QLineEdit* folder_ = nullptr;
    QLineEdit* memoryField(const char* label, const char* tip, SetText::What what, QHBoxLayout& row);
    QLineEdit* stack_ = nullptr;
    QLineEdit* heap_ = nullptr;
    QLineEdit* prefix_ = nullptr;
    QPushButton* write_ = nullptr;
    QPushButton* takeOver_ = nullptr;
    QString takenOver_; ///< folder of another plan that the person wants to use all the same
    Background looking_{this};
    QCheckBox* difference_ = nullptr;
    QLabel* trace_ = nullptr;
    QLabel* message_ = nullptr;
    QLineEdit* command_ = nullptr;
    SourceText* text_ = nullptr;
    ConflictView* conflict_ = nullptr; ///< in the text's place while a file with conflicts is looked at
    Settlements settlements_;          ///< what the person has settled and not written yet
    QPushButton* earlier_ = nullptr;
    BuildPanel* build_ = nullptr;
    QLineEdit* search_ = nullptr;
    SearchPanel* found_ = nullptr;
    QTimer debounce_;
    OutputPreview::First first_;              ///< of what is listed
    std::shared_ptr<const Source> formatted_; ///< see Look
    std::shared_ptr<const Snapshot> formattedOf_;
    QString shownFile_;
    bool filling_ = false;
};

} // namespace bindrel
