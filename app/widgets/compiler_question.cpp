// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/compiler_question.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/compiler_consent.h"
#include "core/device/device_memory.h"

#include <QMessageBox>
#include <QPushButton>

namespace bindrel {

Expected<bool> mayRunCompilers(const Snapshot& snapshot, QWidget* parent)
{
    const std::vector<std::string> unusual = unusualCompilers(*snapshot.device, snapshot.provenance.device);
    if (unusual.empty() || compilersAllowed(*snapshot.device, deviceMemory()))
        return true;
    QMessageBox box(QMessageBox::NoIcon, say("Unusual compiler"),
                    QString(say("%1 names the compiler %2, which does not ship with Bindrel. Run that program?"))
                        .arg(QString::fromStdString(printable(snapshot.provenance.deviceFile)),
                             QString::fromStdString(listed(unusual))),
                    QMessageBox::NoButton, parent);
    box.setInformativeText(say("Your answer is remembered until the device file changes."));
    box.setTextFormat(Qt::PlainText);
    box.setObjectName("unusualCompiler");
    QPushButton* run = box.addButton(say("Run"), QMessageBox::AcceptRole);
    box.setDefaultButton(box.addButton(say("Cancel"), QMessageBox::RejectRole));
    box.exec();
    if (box.clickedButton() != run)
        return false;
    if (const Outcome kept = allowCompilers(*snapshot.device, deviceMemory()); !kept)
        return kept.problem();
    return true;
}

} // namespace bindrel
