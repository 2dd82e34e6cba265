// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/text.h"
#include "core/output/output.h"
#include "tests/support/fixtures.h"

#include <QProcess>
#include <QTemporaryDir>

/// Verbs for tests that write source to a folder.
namespace bindrel::test {

class OutputFixture {
public:
    static std::filesystem::path folderOf(const QTemporaryDir& dir)
    {
        return std::filesystem::path(dir.path().toStdString()) / "out";
    }

    static Expected<std::vector<std::string>> tryWrite(const Snapshot& s, const std::filesystem::path& folder)
    {
        const auto preview = previewOutput(s.source(), folder);
        if (!preview)
            return preview.problem();
        return writeOutput(s.source(), folder, *preview);
    }

    static void write(const Snapshot& s, const std::filesystem::path& folder)
    {
        const auto done = tryWrite(s, folder);
        if (!done)
            qFatal("%s", done.problem().text().c_str());
    }

    static FileChange::State stateOf(const Snapshot& s, const std::filesystem::path& folder, const std::string& name)
    {
        const auto preview = previewOutput(s.source(), folder);
        if (preview)
            for (const FileChange& change : preview->files)
                if (change.name == name)
                    return change.state;
        qFatal("no such file: %s", name.c_str());
    }

    static void put(const std::filesystem::path& path, const std::string& text)
    {
        std::filesystem::create_directories(path.parent_path());
        if (!writeFileAtomically(path, text))
            qFatal("%s could not be written", path.c_str());
    }

    /// Texts of the files, without the memory beside them.
    static std::map<std::string, std::string> filesOf(const std::filesystem::path& folder)
    {
        std::map<std::string, std::string> out;
        for (const auto& entry : std::filesystem::directory_iterator(folder))
            if (entry.is_regular_file())
                out[entry.path().filename().string()] = textOf(entry.path());
        return out;
    }

    /// Everything below the folder, links as what they are.
    static std::map<std::string, std::string> treeOf(const std::filesystem::path& folder)
    {
        std::map<std::string, std::string> out;
        for (const auto& entry : std::filesystem::recursive_directory_iterator(folder))
            out[entry.path().string()] = entry.is_symlink()
                                             ? "-> " + std::filesystem::read_symlink(entry.path()).string()
                                         : entry.is_regular_file() ? textOf(entry.path())
                                                                   : "folder";
        return out;
    }

    /// Runs the command that the tool shows, in the folder.
    static void compile(const Snapshot& s, const std::filesystem::path& folder)
    {
        QProcess shell;
        shell.setWorkingDirectory(QString::fromStdString(folder.string()));
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh", {"-c", QString::fromStdString(s.source().buildCommand)});
        QVERIFY(shell.waitForFinished(120'000));
        const QByteArray output = shell.readAll();
        QVERIFY2(shell.exitCode() == 0 && output.isEmpty(), output.constData());
        QVERIFY(std::filesystem::exists(folder / (s.source().prefix + ".elf")));
    }
};

} // namespace bindrel::test
