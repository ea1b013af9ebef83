// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/layout_page.h"

#include <cmath>

namespace va {

LayoutPage::LayoutPage(const PageContext& context) : Page(tr("Layout")), document_(context.document) {
    const QMap<QString, QAction*>& actions = context.actions;
    buttons({actions["boxTool"], actions["anchor"]});
    caption(tr("Selected thing"));
    kind_ = read(tr("Kind"), QStringLiteral(" "));
    name_ = new QLineEdit;
    name_->setObjectName("thingName");
    name_->setFixedWidth(92);
    row(tr("Name"), name_, QStringLiteral(" "));
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        if (!name_->text().isEmpty())
            editThing(tr("Rename thing"), [this](Thing& t) { t.name = name_->text().toStdString(); });
    });
    buildPlace();
    buildFields();
    buttons({actions["removeThing"]});
    note_ = note();
}

void LayoutPage::buildPlace() {
    const QString axes[3] = {tr("X"), tr("Y"), tr("Z")};
    for (int k = 0; k < 3; ++k) {
        position_[size_t(k)] = number(axes[k], 4, tr("unit"));
        connect(position_[size_t(k)], &NumberField::edited, this,
                [this, k](double v) { editThing(tr("Move thing"), [k, v](Thing& t) { t.position[k] = v; }); });
    }
    heading_ = number(tr("Heading"), 2, tr("°"));
    heading_->setObjectName("thingHeading");
    heading_->setToolTip(tr("Rotation about the upright axis. A tilt stays as it is."));
    connect(heading_, &NumberField::edited, this, [this](double v) {
        editThing(tr("Rotate thing"), [v](Thing& t) { t.rotation = withHeading(t.rotation, v * M_PI / 180); });
    });
}

void LayoutPage::buildFields() {
    for (size_t k = 0; k < allKinds().size(); ++k) {
        const ThingKind& kind = allKinds()[k];
        const std::vector<FieldValue> fields = fieldsOf(kind);
        for (size_t i = 0; i < fields.size(); ++i) {
            const FieldValue& f = fields[i];
            auto* value = new NumberField(f.unit == FieldUnit::count ? 0 : f.unit == FieldUnit::degrees ? 2 : 4);
            value->setObjectName(
                QStringLiteral("thing-%1-%2").arg(QLatin1String(kindWord(kind)), QString(f.label).toLower()));
            const QString unit = f.unit == FieldUnit::world     ? tr("unit")
                                 : f.unit == FieldUnit::degrees ? tr("°")
                                                                : QStringLiteral(" ");
            QWidget* line = labelled(tr(f.label), value, unit);
            insert(line);
            fields_.push_back({k, i, line, value});
            connect(value, &NumberField::edited, this, [this, i, f](double v) {
                bool taken = true;
                editThing(tr("Change %1").arg(tr(f.label).toLower()),
                          [&](Thing& t) { taken = setField(t.kind, i, v); });
                if (taken) return;
                Q_EMIT document_.troubled(tr("%1 must be between %2 and %3.").arg(tr(f.label)).arg(f.low).arg(f.high));
                refresh();
            });
        }
    }
}

void LayoutPage::editThing(const QString& name, const std::function<void(Thing&)>& change) {
    if (const Thing* t = document_.shot().thing(document_.selectedThing())) {
        Thing next = *t;
        change(next);
        document_.changeThing(name, next);
    }
}

void LayoutPage::refresh() {
    const Thing* t = document_.shot().thing(document_.selectedThing());
    name_->setEnabled(t);
    heading_->setEnabled(t);
    for (NumberField* p : position_) p->setEnabled(t);
    for (const FieldRow& f : fields_) f.row->setVisible(t && t->kind.index() == f.kind);
    kind_->setText(t ? tr(kindLabel(t->kind)) : QString());
    note_->setText(t ? QString()
                     : tr("Place box, then click on the floor in the plate. Drag a box to move it over the ground; "
                          "the camera stays as solved."));
    if (!t) return name_->clear();
    if (!name_->hasFocus()) name_->setText(QString::fromStdString(t->name));
    heading_->setValue(headingOf(t->rotation) * 180 / M_PI);
    for (int k = 0; k < 3; ++k) position_[size_t(k)]->setValue(t->position[k]);
    const std::vector<FieldValue> values = fieldsOf(t->kind);
    for (const FieldRow& f : fields_)
        if (f.kind == t->kind.index()) f.number->setValue(values[f.field].value);
}

}  // namespace va
