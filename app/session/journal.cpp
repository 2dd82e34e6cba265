// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/journal.h"

#include "app/session/path_text.h"
#include "core/base/files.h"
#include "core/plan/plan_file.h"

#include <QCryptographicHash>
#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QLocale>
#include <QStandardPaths>
#include <QUuid>

#include <algorithm>

namespace bindrel {

namespace {
constexpr const char* kAlive = "alive"; ///< a folder in the session's that is locked while it lives
constexpr const char* kEnding = ".bindrel";
constexpr const char* kAbout = ".path";
} // namespace

Journal::Journal(const QString& folder)
    : root_(folder.isEmpty() ? QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + "/journal"
                             : folder)
{
}

Journal::~Journal()
{
    // Only what is empty goes: a journal that is still there is wanted.
    if (session_.isEmpty())
        return;
    alive_.reset();
    QDir(session_).rmdir(kAlive);
    QDir().rmdir(session_);
}

bool Journal::begin()
{
    if (alive_)
        return true;
    session_ = root_ + "/" + QUuid::createUuid().toString(QUuid::Id128).left(16);
    if (!QDir().mkpath(session_ + "/" + kAlive))
        return false;
    const Expected<Directory> alive = Directory::open((session_ + "/" + kAlive).toStdString());
    if (!alive)
        return false;
    Expected<FolderLock> lock = FolderLock::take(*alive, std::chrono::milliseconds(0));
    if (!lock)
        return false;
    alive_.emplace(*std::move(lock));
    return true;
}

bool Journal::write(const QString& planPath, const Plan& plan)
{
    if (!begin())
        return false;
    const QByteArray name =
        planPath.isEmpty()
            ? QByteArray("unnamed")
            : QCryptographicHash::hash(QByteArray::fromStdString(pathOf(planPath).string()), QCryptographicHash::Sha256)
                  .toHex()
                  .left(32);
    const QString file = session_ + "/" + QString::fromLatin1(name) + kEnding;
    if (!writeFileAtomically((file + kAbout).toStdString(), pathOf(planPath).string()) ||
        !savePlan(plan, file.toStdString()))
        return false;
    if (own_ != file)
        clear();
    own_ = file;
    return true;
}

void Journal::clear()
{
    if (own_.isEmpty())
        return;
    QFile::remove(own_);
    QFile::remove(own_ + kAbout);
    own_.clear();
}

std::vector<Journal::Entry> Journal::leftOver(const QString& planPath) const
{
    std::vector<std::pair<QDateTime, Entry>> found;
    for (const QFileInfo& session : QDir(root_).entryInfoList(QDir::Dirs | QDir::NoDotAndDotDot)) {
        if (session.absoluteFilePath() == QFileInfo(session_).absoluteFilePath())
            continue;
        // A session that lives keeps its own work.
        if (const Expected<Directory> alive =
                Directory::open((session.absoluteFilePath() + "/" + kAlive).toStdString()))
            if (!FolderLock::take(*alive, std::chrono::milliseconds(0)))
                continue;
        for (const QFileInfo& file :
             QDir(session.absoluteFilePath()).entryInfoList({QString("*") + kEnding}, QDir::Files)) {
            const Expected<std::string> about = readFile((file.absoluteFilePath() + kAbout).toStdString());
            if (about && pathText(*about) == planPath)
                found.emplace_back(file.lastModified(),
                                   Entry{file.absoluteFilePath(), planPath,
                                         QLocale().toString(file.lastModified(), QLocale::ShortFormat)});
        }
    }
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
    std::vector<Entry> out;
    for (auto& [time, entry] : found)
        out.push_back(std::move(entry));
    return out;
}

void Journal::settle(const Entry& entry)
{
    QFile::remove(entry.file);
    QFile::remove(entry.file + kAbout);
    const QString folder = QFileInfo(entry.file).absolutePath();
    QDir(folder).rmdir(kAlive);
    QDir().rmdir(folder);
}

QString Journal::setAside(const Entry& entry)
{
    QString aside = entry.file + ".damaged";
    for (int n = 2; QFileInfo::exists(aside); ++n)
        aside = entry.file + QString(".damaged-%1").arg(n);
    QFile::rename(entry.file, aside);
    return aside;
}

} // namespace bindrel
