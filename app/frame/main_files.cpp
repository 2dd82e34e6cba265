// SPDX-License-Identifier: GPL-3.0-or-later
// Opening, saving and leaving a plan, and what is said when its files have changed meanwhile.
#include "app/frame/main_window.h"

#include "app/clocks/clocks_station.h"
#include "app/frame/disk_dialog.h"
#include "app/frame/findings_drawer.h"
#include "app/frame/inspector.h"
#include "app/frame/masthead.h"
#include "app/frame/move_dialog.h"
#include "app/frame/window_place.h"
#include "app/rehearsal/rehearsal_station.h"
#include "app/session/path_text.h"
#include "app/source/source_station.h"
#include "app/start/start_station.h"
#include "app/tables/chip_table_dialog.h"
#include "app/theme/theme.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/interrupts_dialog.h"
#include "app/tuning/tuning_station.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/panel.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/wiring_station.h"
#include "core/base/files.h"
#include "core/base/fingerprint.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/describe/coverage.h"
#include "core/device/lint.h"
#include "core/device/load_device.h"
#include "core/interchange/netlist.h"
#include "core/plan/clock_set.h"
#include "core/plan/stored_settings.h"

#include <QApplication>
#include <QClipboard>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QSettings>
#include <QShortcut>
#include <QStackedWidget>
#include <QTimer>
#include <QUrl>
#include <QVBoxLayout>

namespace bindrel {

namespace {
/// By its name, and where that can mean a table of anything by its heading.
bool isNetFile(const QString& path)
{
    const QString name = path.toLower();
    for (const char* ending : {".net", ".d356", ".ipc", ".356"})
        if (name.endsWith(ending))
            return true;
    if (!name.endsWith(".csv") && !name.endsWith(".tsv") && !name.endsWith(".txt") && !name.endsWith(".xlsx"))
        return false;
    const Expected<std::string> bytes = readFile(path.toStdString());
    return bytes && speaksOfNets(*bytes);
}

bool isTable(const QString& path)
{
    static const QStringList endings{"csv", "tsv", "txt", "xlsx"};
    return endings.contains(QFileInfo(path).suffix().toLower());
}

bool isDeviceFile(const QString& path)
{
    static const QStringList endings{"json", "svd", "xml", "bsd", "bsdl", "ibs", "csv", "tsv", "xlsx"};
    return endings.contains(QFileInfo(path).suffix().toLower());
}
} // namespace

bool MainWindow::openPlan(const QString& path)
{
    if (const Outcome done = document_.open(path); !done) {
        showStatus(QString::fromStdString(done.problem().text()), true);
        return false;
    }
    rememberPlan(document_.path());
    showStation(Station::Wiring);
    if (!document_.deviceChanges().empty())
        QTimer::singleShot(0, this, &MainWindow::tellDeviceChanges);
    if (document_.recovered())
        QTimer::singleShot(0, this, &MainWindow::offerRecovered);
    if (!document_.damagedJournal().isEmpty())
        showStatus(say("Unsaved changes of an earlier session are damaged and cannot be read; they are kept as ") +
                       document_.damagedJournal(),
                   true);
    return true;
}

bool MainWindow::openFile(const QString& path)
{
    if (path.endsWith(".bindrel", Qt::CaseInsensitive) || !isDeviceFile(path))
        return openPlan(path);
    if (const Outcome done = document_.newForDeviceFile(path); !done) {
        showStatus(QString::fromStdString(done.problem().text()), true);
        return false;
    }
    const Device& device = *document_.snapshot().device;
    std::map<CoverageLevel, int> levels;
    for (const InstanceCoverage& instance : coverageOf(device))
        ++levels[instance.level];
    QStringList parts;
    for (const auto& [level, count] : levels)
        parts << QString("%1 %2").arg(count).arg(nameOf(level));
    const std::size_t remarks = lint(device).size() + (device.origins ? device.origins->remarks.size() : 0);
    showStation(Station::Wiring);
    showStatus(QString("%1: %2. %3%4")
                   .arg(QString::fromStdString(device.name),
                        parts.isEmpty() ? QString(say("%1 pads, no instances")).arg(device.pads.size())
                                        : say("Instances: ") + parts.join(", "),
                        remarks == 0 ? QString()
                                     : QString::fromStdString(sayCount(long(remarks), "{} remark", "{} remarks")) +
                                           say(" (see the inspector). "),
                        say("Save the plan beside the device's file, so that it is found again.")),
               false);
    return true;
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event)
{
    const QList<QUrl> urls = event->mimeData()->urls();
    if (urls.size() == 1 && urls.front().isLocalFile() &&
        (isTable(urls.front().toLocalFile()) || urls.front().toLocalFile().endsWith(".bindrel", Qt::CaseInsensitive) ||
         isDeviceFile(urls.front().toLocalFile()) || (document_.isOpen() && isNetFile(urls.front().toLocalFile()))))
        event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event)
{
    const QList<QUrl> urls = event->mimeData()->urls();
    if (urls.size() != 1 || !urls.front().isLocalFile())
        return;
    event->acceptProposedAction();
    // The program that is dragged from waits until this returns; a question must not keep it.
    const QString path = urls.front().toLocalFile();
    QTimer::singleShot(0, this, [this, path] {
        if (QApplication::activeModalWidget())
            return;
        // Nets and tables are for what is open; everything else takes its place.
        if (document_.isOpen() && (isNetFile(path) || isTable(path))) {
            if (!view_.pending().settle())
                return;
            const Expected<std::string> bytes = readFile(pathOf(path));
            if (!bytes) {
                showStatus(QString::fromStdString(bytes.problem().text()), true);
            } else if (isChipTable(*bytes)) {
                showChipTable(*bytes, path);
            } else {
                showStation(Station::Wiring);
                wiring_->takeNetsFrom(path);
            }
        } else if (mayLeave()) {
            openFile(path);
        }
    });
}

/// A table of the data sheet of a chip that the person describes: it has no net in its heading.
bool MainWindow::isChipTable(const std::string& bytes) const
{
    if (!document_.isOpen() || document_.snapshot().provenance.device == Origin::Shipped ||
        document_.snapshot().device->file.empty() || speaksOfNets(bytes))
        return false;
    const Expected<Grid> grid = readTable(bytes, say("the table"));
    return grid && recogniseColumns(*grid, say("the table")).ok();
}

void MainWindow::showChipTable(const std::string& bytes, const QString& path)
{
    Expected<Grid> grid = readTable(bytes, path.toStdString());
    if (!grid || grid->rows.empty()) {
        showStatus(grid ? QString(say("%1 has no rows.")).arg(path) : QString::fromStdString(grid.problem().text()),
                   true);
        return;
    }
    ChipTableDialog dialog(document_.snapshot().device, bytes, *std::move(grid), path, this);
    if (dialog.exec() == QDialog::Accepted)
        showStatus(dialog.outcome(), false);
}

void MainWindow::pasteTable()
{
    const std::string text = QGuiApplication::clipboard()->text().toStdString();
    if (isChipTable(text))
        showChipTable(text, "pasted-" + QString::fromStdString(fingerprint({&text}).substr(0, 6)) + ".txt");
    else
        wiring_->pasteNets();
}

void MainWindow::tellDeviceChanges()
{
    QStringList lines;
    for (const std::string& change : document_.deviceChanges())
        lines << QString::fromStdString(change);
    QMessageBox box(QMessageBox::NoIcon, say("Changed device"),
                    QString(say("The file of %1 has changed since this plan was saved. What that changes here:"))
                        .arg(QString::fromStdString(document_.snapshot().device->name)),
                    QMessageBox::Ok, this);
    // The first are seen at once; a long list scrolls.
    constexpr qsizetype kAtOnce = 8;
    box.setInformativeText(
        lines.mid(0, kAtOnce).join("\n") +
        (lines.size() > kAtOnce ? QString(say("\nand %1 more")).arg(lines.size() - kAtOnce) : QString()));
    if (lines.size() > kAtOnce)
        box.setDetailedText(lines.join("\n"));
    box.setObjectName("deviceChanges");
    box.exec();
}

void MainWindow::offerRecovered()
{
    QMessageBox box(
        QMessageBox::NoIcon, say("Unsaved work"),
        QString(say("Restore unsaved changes from %1? An earlier session ended before they were saved. They "
                    "are restored as one step that can be undone, and are kept until you decide."))
            .arg(document_.recoveredWhen()),
        QMessageBox::NoButton, this);
    QPushButton* yes = box.addButton(say("Restore"), QMessageBox::AcceptRole);
    box.addButton(say("Discard"), QMessageBox::DestructiveRole);
    QPushButton* later = box.addButton(say("Decide later"), QMessageBox::RejectRole);
    box.setDefaultButton(yes);
    box.exec();
    if (box.clickedButton() == later)
        return;
    if (box.clickedButton() == yes)
        document_.takeRecovered();
    else
        document_.dropRecovered();
}

void MainWindow::browse()
{
    const QString path =
        QFileDialog::getOpenFileName(this, say("Open a plan or a chip"), QFileInfo(document_.path()).absolutePath(),
                                     say("Plans (*.bindrel);;Chips (*.json *.svd *.xml *.bsd *.bsdl *.ibs)"));
    if (!path.isEmpty() && mayLeave())
        openFile(path);
}

bool MainWindow::save()
{
    if (!document_.isOpen())
        return false;
    if (document_.path().isEmpty())
        return saveAs();
    if (document_.onDisk() == Document::OnDisk::Changed && !settleDisk())
        return false;
    if (const Outcome done = document_.save(); !done) {
        showStatus(QString::fromStdString(done.problem().text()), true);
        return false;
    }
    rememberPlan(document_.path());
    showStatus(say("Saved."), false);
    return true;
}

bool MainWindow::settleDisk()
{
    DiskDialog dialog(document_, this);
    if (dialog.exec() != QDialog::Accepted) {
        showStatus(say("The plan and its file differ; saving will ask again."), true);
        return false;
    }
    const Outcome done = dialog.takesTheirs() ? document_.takeTheirs() : document_.save(Document::Overwrite::Yes);
    if (!done) {
        showStatus(QString::fromStdString(done.problem().text()), true);
        return false;
    }
    showStatus(dialog.takesTheirs() ? say("The file's plan is loaded; undo restores yours.")
                                    : say("The other version was overwritten."),
               false);
    return true;
}

void MainWindow::diskChanged()
{
    if (document_.onDisk() == Document::OnDisk::Gone) {
        showStatus(say("The plan's file was removed outside Bindrel. Saving writes it again."), true);
        return;
    }
    if (document_.onDisk() == Document::OnDisk::Changed && !QApplication::activeModalWidget())
        settleDisk();
    else
        showStatus(say("The plan's file was changed outside Bindrel; saving will ask which version to keep."), true);
}

void MainWindow::offerNeverSaved()
{
    for (const Journal::Entry& entry : document_.neverSaved()) {
        QMessageBox box(QMessageBox::NoIcon, say("Unsaved work"),
                        QString(say("A plan of %1 was never saved. Open it?")).arg(entry.when), QMessageBox::NoButton,
                        this);
        box.setObjectName("neverSaved");
        QPushButton* yes = box.addButton(say("Open"), QMessageBox::AcceptRole);
        QPushButton* drop = box.addButton(say("Discard"), QMessageBox::DestructiveRole);
        box.addButton(say("Decide later"), QMessageBox::RejectRole);
        box.setDefaultButton(yes);
        box.exec();
        if (box.clickedButton() == drop)
            document_.dropNeverSaved(entry);
        if (box.clickedButton() != yes)
            continue;
        if (!mayLeave())
            return;
        if (const Outcome done = document_.openNeverSaved(entry); !done) {
            showStatus(QString::fromStdString(done.problem().text()), true);
            continue;
        }
        showStation(Station::Wiring);
        return;
    }
}

bool MainWindow::saveAs()
{
    if (!document_.isOpen())
        return false;
    const QString suggested = document_.path().isEmpty()
                                  ? QString::fromStdString(document_.snapshot().plan.name) + ".bindrel"
                                  : document_.path();
    QString path = QFileDialog::getSaveFileName(this, say("Save the plan"), suggested, say("Plans (*.bindrel)"));
    if (path.isEmpty())
        return false;
    if (!path.endsWith(".bindrel"))
        path += ".bindrel";
    if (const Outcome done = document_.saveAs(path); !done) {
        showStatus(QString::fromStdString(done.problem().text()), true);
        return false;
    }
    rememberPlan(document_.path());
    showStatus(say("Saved."), false);
    return true;
}

/// Text that is refused is not dropped without a word when a person leaves.
bool MainWindow::settleTyping(const QString& leaving)
{
    if (view_.pending().settle())
        return true;
    QMessageBox box(QMessageBox::NoIcon, say("Text not entered"), message() + "\n\n" + leaving, QMessageBox::NoButton,
                    this);
    box.setObjectName("textNotEntered");
    QPushButton* back = box.addButton(say("Return to field"), QMessageBox::RejectRole);
    QPushButton* discard = box.addButton(say("Discard text"), QMessageBox::DestructiveRole);
    box.setDefaultButton(back);
    box.exec();
    if (box.clickedButton() != discard)
        return false;
    view_.pending().forgetAll();
    Q_EMIT view_.selectionChanged(); // fields show the plan again, should it stay
    return true;
}

bool MainWindow::mayLeave()
{
    if (!settleTyping(say("It is not part of the plan.")))
        return false;
    if (!document_.isOpen() || !document_.unsaved())
        return true;
    QMessageBox box(
        QMessageBox::NoIcon, say("Unsaved changes"),
        QString(say("%1 has changes that are not saved.")).arg(QString::fromStdString(document_.snapshot().plan.name)),
        QMessageBox::NoButton, this);
    QPushButton* keep = box.addButton(say("Save"), QMessageBox::AcceptRole);
    QPushButton* drop = box.addButton(say("Discard changes"), QMessageBox::DestructiveRole);
    box.addButton(say("Cancel"), QMessageBox::RejectRole);
    box.setDefaultButton(keep);
    box.exec();
    if (box.clickedButton() == keep)
        return save();
    return box.clickedButton() == drop;
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    if (!mayLeave()) {
        event->ignore();
        return;
    }
    rememberPlace(*this);
    // What was not saved may go now, and not before.
    document_.clearJournal();
    for (Background* background : findChildren<Background*>())
        background->cancel();
    event->accept();
}

} // namespace bindrel
