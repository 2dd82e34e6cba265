// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/path_text.h"

#include "core/base/text.h"

#include <algorithm>
#include <string_view>

namespace bindrel {

QString pathText(const std::filesystem::path& path)
{
    const std::string bytes = path.string();
    QString out;
    for (std::size_t at = 0; at < bytes.size();) {
        // The longest piece of at most four bytes that is one character.
        std::size_t length = 1;
        const auto lead = static_cast<unsigned char>(bytes[at]);
        const std::size_t wanted = lead < 0x80 ? 1 : lead >= 0xF0 ? 4 : lead >= 0xE0 ? 3 : lead >= 0xC2 ? 2 : 0;
        if (wanted > 0 && at + wanted <= bytes.size() && isUtf8(std::string_view(bytes).substr(at, wanted))) {
            length = wanted;
            out += QString::fromUtf8(bytes.data() + at, qsizetype(length));
        } else {
            out += QChar(char16_t(0xDC00 + lead));
        }
        at += length;
    }
    return out;
}

std::filesystem::path pathOf(const QString& text)
{
    std::string out;
    for (qsizetype at = 0; at < text.size();) {
        const char16_t unit = text[at].unicode();
        const bool pair = QChar::isHighSurrogate(unit) && at + 1 < text.size() && text[at + 1].isLowSurrogate();
        if (!pair && unit >= 0xDC80 && unit <= 0xDCFF) {
            out += char(unit - 0xDC00);
            ++at;
            continue;
        }
        const qsizetype length = pair ? 2 : 1;
        out += text.mid(at, length).toUtf8().toStdString();
        at += length;
    }
    return out;
}

} // namespace bindrel
