// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include <functional>
#include <memory>
#include <string>
#include <vector>

/// The test classes of a folder are linked into one program, which runs the one that its first argument names, or all.
namespace bindrel::test {

struct TestClass {
    std::string name;
    std::function<std::unique_ptr<QObject>()> make;
};

/// Those of this program, in no order.
std::vector<TestClass>& testClasses();

template <typename Class> bool registerTest(const char* name)
{
    testClasses().push_back({name, [] { return std::make_unique<Class>(); }});
    return true;
}

} // namespace bindrel::test

/// Makes a class of tests known to the program that it is linked into. CMake looks for this word in the sources.
#define BINDREL_TEST(Class)                                                                                            \
    [[maybe_unused]] static const bool registered##Class = bindrel::test::registerTest<Class>(#Class);
