// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/compiler_consent.h"
#include "tests/support/edited_chip.h"

#include <QTemporaryDir>

using namespace bindrel;
using namespace bindrel::test;

/// A stranger's device file may name any program as its compiler. It runs only with a person's consent, which is for
/// just that text of the file and just those programs.
class CompilerConsentTest : public QObject {
    Q_OBJECT

    static Device naming(const std::string& tools, const std::string& about = {})
    {
        EditedChip chip = EditedChip::sedge();
        chip.json["core"]["tools"] = tools;
        if (!about.empty())
            chip.block("uart")["about"] = about;
        Expected<Device> device = chip.device();
        if (!device)
            qFatal("%s", device.problem().text().c_str());
        return *std::move(device);
    }

private Q_SLOTS:
    void whatIsUnusual()
    {
        const Device known = naming("arm-none-eabi-"), other = naming("riscv64-unknown-elf-"),
                     strange = naming("evil-");
        for (const Origin origin : {Origin::Shipped, Origin::User}) {
            QVERIFY(unusualCompilers(known, origin).empty());
            QVERIFY(unusualCompilers(other, origin).empty());
        }
        QVERIFY(unusualCompilers(strange, Origin::Shipped).empty());
        QCOMPARE(unusualCompilers(strange, Origin::User), std::vector<std::string>{"evil-gcc"});
    }

    void consentIsForOneTextAndItsPrograms()
    {
        QTemporaryDir dir;
        const std::filesystem::path memory = std::filesystem::path(dir.path().toStdString()) / "devices";
        const Device strange = naming("evil-"), edited = naming("evil-", "Another text."), worse = naming("worse-");
        QVERIFY(!compilersAllowed(strange, memory));
        QVERIFY(allowCompilers(strange, memory).ok());
        QVERIFY(compilersAllowed(strange, memory));
        QVERIFY(!compilersAllowed(edited, memory));
        QVERIFY(!compilersAllowed(worse, memory));
        // The same digest with another program: by whatever accident, it is not allowed.
        Device forged = strange;
        forged.cores.front().toolPrefix = "worse-";
        QVERIFY(!compilersAllowed(forged, memory));
        // Every damage to what is remembered asks anew.
        for (const auto& entry : std::filesystem::directory_iterator(memory.parent_path() / "compilers")) {
            const std::string whole = textOf(entry.path());
            for (size_t length = 0; length < whole.size(); ++length) {
                QVERIFY(writeFileAtomically(entry.path(), whole.substr(0, length)).ok());
                QVERIFY(!compilersAllowed(strange, memory));
            }
            QVERIFY(writeFileAtomically(entry.path(), whole + "worse-gcc\n").ok());
            QVERIFY(!compilersAllowed(strange, memory));
        }
    }

    void withoutAHomeThereIsNoConsent()
    {
        const Device strange = naming("evil-");
        QVERIFY(!compilersAllowed(strange, {}));
        const Outcome allowed = allowCompilers(strange, {});
        QVERIFY(!allowed.ok() && allowed.problem().message.find("HOME") != std::string::npos);
    }

    void aPrefixIsAWordOfNoPath()
    {
        for (const char* tools : {"../evil-", "/tmp/evil-", "evil; rm -", "evil $(x)-", "-evil"}) {
            EditedChip chip = EditedChip::sedge();
            chip.json["core"]["tools"] = tools;
            QVERIFY2(!chip.refusal().empty(), tools);
        }
    }
};

BINDREL_TEST(CompilerConsentTest)
#include "compiler_consent_test.moc"
