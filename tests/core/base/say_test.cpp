// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/message.h"
#include "core/base/pseudo_catalogue.h"
#include "core/quantity/format.h"
#include "tests/support/fixtures.h"

#include <regex>
#include <thread>

using namespace bindrel;
using namespace bindrel::test;

namespace {

/// A language of three texts: one in another order, one that does not take its argument, one with three forms of a
/// number.
class ThreeTexts : public Catalogue {
public:
    const char* find(const char* english) const override
    {
        const std::string_view text = english;
        return text == "{} of {}"   ? "{1}: {0}"
               : text == "about {}" ? "um {:d} {}"
               : text == "plain"    ? "schlicht"
                                    : nullptr;
    }
    const char* find(const char* one, const char*, long number) const override
    {
        if (std::string_view(one) != "{} pad")
            return nullptr;
        return number == 1 ? "{} A" : number < 5 ? "{} B" : "{} C";
    }
    char decimalMark() const override { return ','; }
};

/// The reader's language for one test.
struct Reader {
    explicit Reader(const Catalogue& catalogue) { setReader(catalogue); }
    ~Reader() { setReader(english()); }
};

} // namespace

class SayTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void englishIsWhatStandsThere()
    {
        QCOMPARE(std::string(say("plain")), std::string("plain"));
        QCOMPARE(say("{} of {}", 1, "two"), std::string("1 of two"));
        QCOMPARE(sayCount(1, "{} pad", "{} pads") + sayCount(0, "{} pad", "{} pads"), std::string("1 pad0 pads"));
    }

    void anotherLanguageHasItsOrderAndItsNumbers()
    {
        static const ThreeTexts three;
        const Reader reader(three);
        QCOMPARE(std::string(say("plain")), std::string("schlicht"));
        QCOMPARE(say("{} of {}", 1, "two"), std::string("two: 1"));
        for (const auto& [number, text] : {std::pair{1L, "1 A"}, {3L, "3 B"}, {7L, "7 C"}})
            QCOMPARE(sayCount(number, "{} pad", "{} pads"), std::string(text));
        QCOMPARE(std::string(say("nobody translated this")), std::string("nobody translated this"));
        QCOMPARE(format(Frequency(Rational(24'576'000))), std::string("24,576 MHz"));
        QCOMPARE(exactText(Frequency(Rational(24'576'000))), std::string("24.576 MHz"));
    }

    /// A catalogue is a file: what it says wrongly is passed over.
    void aPatternThatDoesNotFitIsEnglish()
    {
        static const ThreeTexts three;
        const Reader reader(three);
        QCOMPARE(say("about {}", "it"), std::string("about it"));
    }

    void filesAreEnglishInTheirThreadOnly()
    {
        static const ThreeTexts three;
        const Reader reader(three);
        const InEnglish outer;
        QCOMPARE(std::string(say("plain")), std::string("plain"));
        {
            const InEnglish inner;
        }
        QCOMPARE(std::string(say("plain")), std::string("plain"));
        std::string other;
        std::thread([&other] { other = say("plain"); }).join();
        QCOMPARE(other, std::string("schlicht"));
    }

    void aMessageIsSaidWhenItIsRead()
    {
        static const ThreeTexts three;
        Message told = message("{} of {}", 1, std::string("two"));
        told.then(message("plain"));
        QCOMPARE(told.text(), std::string("1 of two plain"));
        {
            const Reader reader(three);
            QCOMPARE(told.text(), std::string("two: 1 schlicht"));
        }
        QCOMPARE(told.sentences().size(), size_t(2));
        QCOMPARE(told.sentences()[0].arguments, (std::vector<std::string>{"1", "two"}));
    }

    /// What is not a word stays: places, marks of shortcuts, tags, names of options.
    void accentsKeepWhatIsNoWord()
    {
        QCOMPARE(PseudoCatalogue::accented("a {0:04X} {{b}} %1 &File <b>c</b> --dry-run (*.h) &nbsp;"),
                 std::string("åå {0:04X} {{ƀ}} %1 &Fîļéé <b>ç</b> --dry-run (*.h) &nbsp;"));
    }

    /// Each finding of the examples has as many arguments as its sentences have places, and is whole when it is read.
    void findingsAreWholeAsData()
    {
        for (const char* name : {"sluice-node-c-start", "sluice-node-c-tangled", "pump-hall-a-done"}) {
            const auto snapshot = run(demo(name));
            for (const Finding& finding : snapshot->findings)
                for (const Message::Sentence& sentence : finding.text.sentences()) {
                    const std::string pattern = sentence.pattern;
                    std::set<std::string> numbered;
                    std::size_t plain = 0;
                    static const std::regex place("\\{(\\d*)\\}");
                    for (std::sregex_iterator at(pattern.begin(), pattern.end(), place), end; at != end; ++at)
                        (*at)[1].length() ? (void)numbered.insert((*at)[1]) : (void)++plain;
                    QVERIFY2(plain + numbered.size() == sentence.arguments.size(), pattern.c_str());
                    QVERIFY2(finding.text.text().find('{') == std::string::npos, pattern.c_str());
                }
        }
    }
};

BINDREL_TEST(SayTest)
#include "say_test.moc"
