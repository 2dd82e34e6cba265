// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/project_dialog.h"

#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace bindrel {

ProjectDialog::ProjectDialog(const ProjectLayout& layout, QString prefix, QWidget* parent)
    : QDialog(parent), layout_(layout), prefix_(std::move(prefix))
{
    const Theme& t = Theme::get();
    setWindowTitle(say("Project layout"));
    auto* column = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    form->setLabelAlignment(Qt::AlignLeft);
    form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    for (const LayoutSetting& setting : layoutSettings()) {
        const QString value = QString::fromStdString(setting.text(layout)), title = say(setting.title);
        QWidget* field = nullptr;
        if (!setting.choices.empty()) {
            auto* choice = new QComboBox;
            for (const std::string& one : setting.choices)
                choice->addItem(QString::fromStdString(one));
            choice->setCurrentText(value.isEmpty() ? QString::fromStdString(setting.choices.front()) : value);
            connect(choice, &QComboBox::currentTextChanged, this, &ProjectDialog::read);
            fields_.push_back({&setting, [choice] { return choice->currentText(); }});
            field = choice;
        } else if (std::string_view(setting.key) == "notice") {
            auto* text = new QPlainTextEdit(value);
            text->setTabChangesFocus(true);
            text->setFont(t.mono(12));
            text->setFixedHeight(text->fontMetrics().lineSpacing() * 5 + 10);
            connect(text, &QPlainTextEdit::textChanged, this, &ProjectDialog::read);
            fields_.push_back({&setting, [text] { return text->toPlainText(); }});
            field = text;
        } else {
            auto* line = new QLineEdit(value);
            line->setFont(t.mono(12));
            line->setMaxLength(120);
            line->setPlaceholderText(say("the output folder itself"));
            connect(line, &QLineEdit::textChanged, this, &ProjectDialog::read);
            fields_.push_back({&setting, [line] { return line->text(); }});
            field = line;
        }
        field->setObjectName(setting.key);
        field->setAccessibleName(title);
        field->setToolTip(say(setting.about));
        auto* label = new QLabel(title);
        label->setBuddy(field);
        form->addRow(label, field);
    }
    column->addLayout(form);
    example_ = new QLabel;
    example_->setFont(t.mono(12));
    example_->setTextFormat(Qt::PlainText);
    example_->setObjectName("example");
    column->addWidget(example_);
    wrong_ = new QLabel;
    wrong_->setWordWrap(true);
    wrong_->setTextFormat(Qt::PlainText);
    wrong_->setObjectName("wrong");
    // Room for two lines: the window does not jump with each letter.
    wrong_->setMinimumHeight(wrong_->fontMetrics().lineSpacing() * 2 + 4);
    restyle(wrong_, QString("color: %1").arg(t.error.name()));
    column->addWidget(wrong_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    accept_ = buttons->button(QDialogButtonBox::Ok);
    accept_->setText(say("Use this layout"));
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    setMinimumWidth(520);
    read();
}

void ProjectDialog::read()
{
    ProjectLayout layout;
    QString wrong;
    for (const Field& field : fields_) {
        const QString text = field.text();
        const bool isDefault =
            !field.setting->choices.empty() && text == QString::fromStdString(field.setting->choices.front());
        if (const Outcome set = field.setting->set(layout, isDefault ? std::string() : text.toStdString()); !set)
            if (wrong.isEmpty())
                wrong = QString("%1: %2").arg(say(field.setting->title), QString::fromStdString(set.problem().message));
    }
    wrong_->setText(wrong);
    accept_->setEnabled(wrong.isEmpty());
    if (!wrong.isEmpty())
        return;
    layout_ = layout;
    const auto path = [&layout](const std::string& folder, QString name) {
        if (layout.fileNames == ProjectLayout::FileNames::Hyphens)
            name.replace('_', '-');
        return folder.empty() ? name : QString::fromStdString(folder) + "/" + name;
    };
    example_->setText(QString("%1   %2   %3")
                          .arg(path(layout.sources, prefix_ + "_board.c"), path(layout.headers, prefix_ + "_board.h"),
                               path({}, "CMakeLists.txt")));
}

} // namespace bindrel
