// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/device/layers.h"
#include "core/snapshot.h"

#include <QString>

/// What the texts of the inspector are put together from.
namespace bindrel {

inline QString html(const std::string& text)
{
    return typeset(text).toHtmlEscaped();
}

inline QString colour(const QColor& c, const QString& text)
{
    return QString("<span style='color:%1'>%2</span>").arg(c.name(), text);
}

/// Rows of a key and a value, headings between them.
class Sheet {
public:
    void heading(const QString& text)
    {
        end();
        out_ +=
            QString(
                "<p style='margin:12px 0 3px 0; font-size:10px; font-weight:600; color:%1; letter-spacing:1px'>%2</p>")
                .arg(Theme::get().muted.name(), text.toUpper());
    }
    void row(const QString& key, const QString& value)
    {
        begin();
        out_ += QString("<tr><td style='padding:2px 8px 2px 0; color:%1'>%2</td><td align='right' style='padding:2px "
                        "0; font-family:\"JetBrains Mono\"; font-size:11px'>%3</td></tr>")
                    .arg(Theme::get().muted.name(), key, value);
    }
    void line(const QString& text)
    {
        end();
        out_ += "<p style='margin:3px 0'>" + text + "</p>";
    }
    QString take()
    {
        end();
        return out_;
    }

private:
    void begin()
    {
        if (!open_)
            out_ += "<table width='100%' cellspacing='0'>";
        open_ = true;
    }
    void end()
    {
        if (open_)
            out_ += "</table>";
        open_ = false;
    }
    QString out_;
    bool open_ = false;
};

/// The file and line that a value of the device was read from; nothing where it has only one file.
inline void originRow(Sheet& sheet, const TextPlace& place)
{
    if (!place.file.empty())
        sheet.row(say("Read from"),
                  html(place.file.substr(place.file.rfind('/') + 1) +
                       (place.line > 0 ? say(", line ") + std::to_string(place.line) : std::string())));
}

inline QString link(const QString& target, const QString& text)
{
    return QString("<a href='%1' style='color:%2; text-decoration:none'>%3</a>")
        .arg(target, Theme::get().accent.name(), text);
}

inline QString clockLink(const Snapshot& s, ClockIndex clock)
{
    return link("clock:" + QString::fromStdString(s.device->clocks[clock].id), html(s.device->clocks[clock].name));
}

inline QString needLink(const Snapshot& s, NeedIndex need)
{
    return link("need:" + QString::fromStdString(s.plan.needs[need].id), html(s.plan.needs[need].title));
}

inline QString holdLink(const Snapshot& s, const Hold& hold)
{
    return link("hold:" + QString::fromStdString(holdText(hold)),
                s.plan.held(hold) ? say("held \u00b7 release") : "hold");
}

} // namespace bindrel
