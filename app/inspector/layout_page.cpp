// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/layout_page.h"

#include <QColorDialog>
#include <QCompleter>
#include <QFileDialog>
#include <QSettings>
#include <cmath>

#include "document/slip_watch.h"
#include "inspector/keys_section.h"
#include "inspector/layers_section.h"
#include "inspector/repeat_section.h"
#include "layout/glyphs.h"
#include "style/theme.h"
#include "tray/tray.h"
#include "workflow/place_things.h"

namespace va {
namespace {

constexpr double degree = M_PI / 180;

QColor colourOf(const Eigen::Vector4d& c) {
    return QColor::fromRgbF(float(c.x()), float(c.y()), float(c.z()), float(c.w()));
}

}  // namespace

LayoutPage::LayoutPage(const PageContext& context)
    : Page(tr("Layout")),
      document_(context.document),
      edits_(context.layout),
      tray_(new Tray),
      slipWatch_(context.slip) {
    insert(tray_);
    note_ = note();
    note_->setObjectName("layoutNote");
    buildHead();
    buildPlace();
    buildFields();
    const QMap<QString, QAction*>& actions = context.actions;
    const auto line = [&](std::initializer_list<const char*> names) {
        QList<QAction*> all;
        for (const char* n : names) all << actions[n];
        buttons(all);
        rows_.push_back(findChildren<QPushButton*>().last()->parentWidget());
    };
    buttons({actions["fileSize"]});
    fileSize_ = findChildren<QPushButton*>().last()->parentWidget();
    line({"stance", "thingQuarter", "settle"});
    line({"rePlace", "neighbours", "removeThing"});
    insertSection(new KeysSection(document_, edits_, actions));
    insertSection(new RepeatSection(document_, edits_));
    insertSection(new LayersSection(document_, edits_));
    connect(&slipWatch_, &SlipWatch::changed, this, &LayoutPage::refresh);
    connect(&document_, &Document::frameChanged, this, [this] {
        if (const Thing* t = edits_.current(); t && !t->keys.empty()) refresh();
    });
}

void LayoutPage::buildHead() {
    caption(tr("Selected thing"));
    name_ = new QLineEdit;
    name_->setObjectName("thingName");
    name_->setFixedWidth(128);
    row(tr("Name"), name_);
    rows_.push_back(name_->parentWidget());
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        if (name_->isEnabled()) edits_.rename(name_->text());
    });
    hangs_ = new QToolButton;
    hangs_->setObjectName("thingHangs");
    hangs_->setPopupMode(QToolButton::InstantPopup);
    hangs_->setToolButtonStyle(Qt::ToolButtonTextOnly);
    hangs_->setFixedWidth(150);
    auto* targets = new QMenu(hangs_);
    hangs_->setMenu(targets);
    connect(targets, &QMenu::aboutToShow, this, [this, targets] { fillTargets(targets); });
    row(tr("Hangs on"), hangs_);
    rows_.push_back(hangs_->parentWidget());
    slip_ = read(tr("Expected slip"), tr("px"));
    slip_->setObjectName("thingSlip");
    slip_->setToolTip(tr("By which it slides against the plate over the work range, from the solve's covariance"));
    rows_.push_back(slip_->parentWidget());
}

/// All that it can hang on; it stays where it stands.
void LayoutPage::fillTargets(QMenu* menu) {
    menu->clear();
    const Shot& shot = document_.shot();
    const Thing* now = edits_.current();
    if (!now) return;
    const auto offer = [&](const Hang& hang) {
        QAction* a = menu->addAction(QString::fromStdString(hangWordsOf(shot, hang)),
                                     [this, hang] { edits_.rePlace(hang, Offsets::inPlace); });
        a->setCheckable(true);
        a->setChecked(now->hang.on == hang.on && now->hang.id == hang.id);
    };
    offer({});
    offer({Hang::On::ground, 0, {}});
    offer({Hang::On::camera, 0, {}});
    menu->addSeparator();
    for (const NamedPlane& p : shot.groundSpec.planes) offer({Hang::On::plane, p.id, {}});
    for (const Mover& m : shot.movers) offer({Hang::On::mover, m.id, {}});
    for (const FlatPatch& p : shot.patches) offer({Hang::On::patch, p.id, {}});
    menu->addSeparator();
    for (const Thing& t : shot.things)
        if (!wouldLoop(shot, now->id, t.id)) offer({Hang::On::thing, t.id, {}});
}

void LayoutPage::buildPlace() {
    const auto three = [&](const QString& name, std::array<NumberField*, 3>& fields, int decimals,
                           const char* objectName) {
        auto* together = new QWidget;
        auto* in = new QHBoxLayout(together);
        in->setContentsMargins(0, 0, 0, 0);
        in->setSpacing(2);
        for (int k = 0; k < 3; ++k) {
            auto* field = new NumberField(decimals);
            field->setFixedWidth(55);
            field->setObjectName(QStringLiteral("%1%2").arg(QLatin1String(objectName)).arg(k));
            fields[size_t(k)] = field;
            in->addWidget(field);
        }
        row(name, together);
        rows_.push_back(together->parentWidget());
    };
    three(tr("Place"), position_, 3, "thingPosition");
    three(tr("Turn °"), turn_, 1, "thingTurn");
    const QString axes[3] = {tr("X"), tr("Y"), tr("Z")}, turns[3] = {tr("Tilt"), tr("Heading"), tr("Roll")};
    for (int k = 0; k < 3; ++k) {
        position_[size_t(k)]->setLengths(true);
        position_[size_t(k)]->setAccessibleName(axes[k]);
        position_[size_t(k)]->setToolTip(
            tr("%1, in the axes of what it hangs on. Takes 2ft, 36/1.6, +=0.1").arg(axes[k]));
        turn_[size_t(k)]->setAccessibleName(turns[k]);
        turn_[size_t(k)]->setToolTip(turns[k]);
        connect(position_[size_t(k)], &NumberField::edited, this, [this, k](double v) {
            editThing(tr("Move thing"), [this, k, v](Thing& t) {
                Eigen::Vector3d p = t.at(document_.frame()).translation;
                p[k] = v;
                setPosition(t, document_.frame(), p);
            });
        });
        connect(turn_[size_t(k)], &NumberField::edited, this, [this, k](double v) {
            editThing(tr("Turn thing"), [this, k, v](Thing& t) {
                const int frame = document_.frame();
                Eigen::Vector3d turn =
                    t.keys.turn.empty() ? turnOf(t.rotation) : Eigen::Vector3d(t.keys.turn.at(frame));
                turn[k] = v * degree;
                // By hand more than a whole turn may be meant.
                if (t.keys.turn.empty()) t.rotation = rotationOf(turn);
                else t.keys.turn.keys.set(frame, turn);
            });
        });
    }
    over_ = number(tr("Over surface"), 1, tr("mm"));
    over_->setObjectName("thingOver");
    over_->setToolTip(tr("How far its bottom lies over what it hangs on"));
    rows_.push_back(over_->parentWidget());
    connect(over_, &NumberField::edited, this, [this](double v) { edits_.bottomToSurface(v / 1000); });
    scale_ = number(tr("Scale"), 3, QStringLiteral("×"));
    scale_->setObjectName("thingScale");
    rows_.push_back(scale_->parentWidget());
    connect(scale_, &NumberField::edited, this, [this](double v) {
        if (!(v > 0)) {
            Q_EMIT document_.troubled(tr("A scale has to be above zero."));
            return refresh();
        }
        editThing(tr("Scale thing"), [this, v](Thing& t) { setScale(t, document_.frame(), v); });
    });
    colour_ = new QToolButton;
    colour_->setObjectName("thingColour");
    colour_->setFixedSize(54, 20);
    row(tr("Colour"), colour_);
    rows_.push_back(colour_->parentWidget());
    connect(colour_, &QToolButton::clicked, this, &LayoutPage::chooseColour);
}

void LayoutPage::chooseColour() {
    const Thing* t = edits_.current();
    if (!t) return;
    const QColor c = QColorDialog::getColor(colourOf(t->colourAt(document_.frame())), this, tr("Colour of the thing"),
                                            QColorDialog::ShowAlphaChannel);
    if (!c.isValid()) return;
    editThing(tr("Colour thing"), [this, c](Thing& thing) {
        const Eigen::Vector4d colour(c.redF(), c.greenF(), c.blueF(), c.alphaF());
        if (thing.keys.colour.empty()) thing.colour = colour;
        else thing.keys.colour.keys.set(document_.frame(), colour);
    });
}

void LayoutPage::buildFields() {
    for (size_t k = 0; k < allKinds().size(); ++k) {
        const ThingKind& kind = allKinds()[k];
        const std::vector<TextValue> texts = textsOf(kind);
        const std::vector<FieldValue> fields = fieldsOf(kind);
        const std::vector<ChoiceValue> choices = choicesOf(kind);
        for (size_t i = 0; i < texts.size(); ++i) addText(k, i, texts[i]);
        for (size_t i = 0; i < fields.size(); ++i) addNumber(k, i, fields[i]);
        for (size_t i = 0; i < choices.size(); ++i) addChoice(k, i, choices[i]);
    }
}

void LayoutPage::addNumber(size_t kind, size_t index, const FieldValue& f) {
    const bool whole = f.unit == FieldUnit::count || f.unit == FieldUnit::frames;
    const bool length = f.unit == FieldUnit::world || f.unit == FieldUnit::metres;
    auto* value = new NumberField(whole ? 0 : f.unit == FieldUnit::degrees ? 2 : 3);
    value->setLengths(length);
    value->setObjectName(
        QStringLiteral("thing-%1-%2").arg(QLatin1String(kindWord(allKinds()[kind])), QString(f.label).toLower()));
    const QString unit = f.unit == FieldUnit::world     ? tr("unit")
                         : f.unit == FieldUnit::metres  ? tr("m")
                         : f.unit == FieldUnit::degrees ? tr("°")
                         : f.unit == FieldUnit::frames  ? tr("f")
                                                        : QStringLiteral(" ");
    QWidget* line = labelled(tr(f.label), value, unit);
    insert(line);
    fields_.push_back({kind, index, line, value});
    connect(value, &NumberField::edited, this, [this, index, f](double v) {
        bool taken = true;
        editThing(tr("Change %1").arg(tr(f.label).toLower()), [&](Thing& t) { taken = setField(t.kind, index, v); });
        if (taken) return;
        Q_EMIT document_.troubled(tr("%1 must be between %2 and %3.").arg(tr(f.label)).arg(f.low).arg(f.high));
        refresh();
    });
}

void LayoutPage::addText(size_t kind, size_t index, const TextValue& f) {
    auto* words = new QLineEdit;
    words->setFixedWidth(128);
    words->setObjectName(
        QStringLiteral("thing-%1-%2").arg(QLatin1String(kindWord(allKinds()[kind])), QString(f.label).toLower()));
    const bool file = f.use == TextUse::pictureFile || f.use == TextUse::meshFile;
    if (file) {
        QAction* choose = words->addAction(icon("folder-open"), QLineEdit::TrailingPosition);
        choose->setToolTip(tr("Choose a file"));
        connect(choose, &QAction::triggered, this, [this, words, use = f.use] {
            const QString filter = use == TextUse::meshFile
                                       ? tr("Meshes (%1);;All files (*)").arg(QLatin1String(meshEndings))
                                       : tr("All files (*)");
            const QString chosen =
                QFileDialog::getOpenFileName(this, tr("Choose a file"), QSettings().value("folder").toString(), filter);
            if (chosen.isEmpty()) return;
            words->setText(chosen);
            Q_EMIT words->editingFinished();
        });
    }
    if (f.use == TextUse::font) {
        words->setPlaceholderText(tr("as shipped"));
        QStringList families;
        for (const std::string& family : fontFamilies()) families << QString::fromStdString(family);
        auto* known = new QCompleter(families, words);
        known->setCaseSensitivity(Qt::CaseInsensitive);
        known->setFilterMode(Qt::MatchContains);
        words->setCompleter(known);
    }
    QWidget* line = labelled(tr(f.label), words);
    insert(line);
    FieldRow row{kind, index, line};
    row.words = words;
    fields_.push_back(row);
    connect(words, &QLineEdit::editingFinished, this, [this, index, words, f, kind] {
        const Thing* now = edits_.current();
        if (!now || now->kind.index() != kind) return;
        editThing(tr("Change %1").arg(tr(f.label).toLower()),
                  [&](Thing& t) { setText(t.kind, index, words->text().toStdString()); });
        if (const Thing* t = edits_.current())
            if (const std::string trouble = thingTrouble(document_.shot(), *t); !trouble.empty())
                Q_EMIT document_.troubled(QString::fromStdString(trouble));
    });
}

void LayoutPage::addChoice(size_t kind, size_t index, const ChoiceValue& f) {
    auto* box = new QComboBox;
    for (const char* label : f.labels) box->addItem(tr(label));
    box->setFixedWidth(92);
    QWidget* line = labelled(tr(f.label), box);
    insert(line);
    FieldRow row{kind, index, line};
    row.choice = box;
    fields_.push_back(row);
    connect(box, &QComboBox::activated, this, [this, index, f](int chosen) {
        editThing(tr("Change %1").arg(tr(f.label).toLower()), [&](Thing& t) { setChoice(t.kind, index, chosen); });
    });
}

void LayoutPage::editThing(const QString& name, const std::function<void(Thing&)>& change) {
    if (const Thing* t = edits_.current()) {
        Thing next = *t;
        change(next);
        edits_.change(name, next);
        refresh();
    }
}

void LayoutPage::refresh() {
    const Shot& shot = document_.shot();
    const Thing* t = edits_.current();
    for (QWidget* row : rows_) row->setVisible(t != nullptr);
    fileSize_->setVisible(t && std::holds_alternative<Mesh>(t->kind));
    name_->setEnabled(t != nullptr);
    for (const FieldRow& f : fields_) f.row->setVisible(t && t->kind.index() == f.kind);
    note_->setVisible(!t || !thingTrouble(shot, *t).empty());
    note_->setText(t ? QString::fromStdString(thingTrouble(shot, *t))
                     : tr("Drag a thing from the shelf onto the picture or into the scene. Drag it again to slide it "
                          "along its surface; Shift: along the ground, Ctrl: up and down, Alt: finer. The camera stays "
                          "as solved."));
    if (!t) return;
    const int frame = document_.frame();
    const Similarity at = t->at(frame);
    if (!name_->hasFocus()) name_->setText(QString::fromStdString(t->name));
    const QString on = QString::fromStdString(hangWordsOf(shot, t->hang));
    hangs_->setText(hangs_->fontMetrics().elidedText(on, Qt::ElideMiddle, 124));
    hangs_->setToolTip(tr("%1. A click hangs it on something else, where it stands.").arg(on));
    const auto world = PlacedThings(shot, frame).of(*t);
    const double slip = world ? slipWatch_.slipAt(world->translation) : -1;
    slip_->setText(slip >= 0 ? QString::number(slip, 'f', 2) : QStringLiteral("–"));
    slip_->parentWidget()->setVisible(slip >= 0);
    Eigen::Vector3d turn = t->keys.turn.empty() ? turnOf(t->rotation) : Eigen::Vector3d(t->keys.turn.at(frame));
    for (int k = 0; k < 3; ++k) {
        position_[size_t(k)]->setValue(at.translation[k]);
        turn_[size_t(k)]->setValue(turn[k] / degree);
    }
    // There are millimetres once there is a scale, and only what hangs on a surface is over it.
    const Hang::On what = t->hang.on;
    const bool surface =
        what == Hang::On::ground || what == Hang::On::surface || what == Hang::On::plane || what == Hang::On::patch;
    const auto over = shot.ground->metric && surface ? bottomOverSurface(shot, *t, frame) : std::nullopt;
    over_->parentWidget()->setVisible(over.has_value());
    over_->setValue(over.value_or(0) * 1000);
    scale_->setValue(at.scale);
    const QColor c = colourOf(t->colourAt(frame));
    colour_->setStyleSheet(
        QStringLiteral("background: rgb(%1,%2,%3); border-radius: 3px;").arg(c.red()).arg(c.green()).arg(c.blue()));
    const std::vector<FieldValue> values = fieldsOf(t->kind);
    const std::vector<TextValue> texts = textsOf(t->kind);
    const std::vector<ChoiceValue> choices = choicesOf(t->kind);
    for (const FieldRow& f : fields_) {
        if (f.kind != t->kind.index()) continue;
        if (f.number) f.number->setValue(values[f.field].value);
        if (f.words && !f.words->hasFocus()) f.words->setText(QString::fromStdString(texts[f.field].value));
        if (f.choice) f.choice->setCurrentIndex(choices[f.field].value);
    }
}

}  // namespace va
