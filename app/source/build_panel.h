// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/output/build_log.h"
#include "core/snapshot.h"

#include <QProcess>
#include <QWidget>

#include <memory>
#include <vector>

class QLabel;
class QListWidget;
class QProgressBar;
class QPushButton;

namespace bindrel {

class MemoryBars;

/// Builds what stands in the output folder, with its own build files where it has them: progress, what the compiler
/// says, and how much of the memory the program takes.
class BuildPanel : public QWidget {
    Q_OBJECT
public:
    explicit BuildPanel(QWidget* parent = nullptr);
    ~BuildPanel() override;

    /// Starts; a build that runs is ended first. `snapshot` is what was written there.
    void build(std::shared_ptr<const Snapshot> snapshot, const QString& folder);
    bool isBuilding() const { return process_.state() != QProcess::NotRunning; }
    QString status() const;
    const std::vector<BuildMessage>& messages() const { return messages_; }
    QListWidget* list() const { return list_; }
    void retheme();

Q_SIGNALS:
    /// A message that names a line was chosen.
    void placeChosen(const QString& file, int line);
    void finished(bool succeeded);

private:
    void hear();
    void end(bool crashed, int code);
    void cancel();
    void tell(const QString& text, bool wrong);

    QProcess process_;
    std::shared_ptr<const Snapshot> snapshot_;
    QString folder_, buildFolder_;
    QByteArray output_, line_;
    std::vector<BuildMessage> messages_;
    bool cancelled_ = false;

    QLabel* status_;
    QProgressBar* progress_;
    QPushButton* cancel_;
    QPushButton* close_;
    QListWidget* list_;
    MemoryBars* bars_;
};

} // namespace bindrel
