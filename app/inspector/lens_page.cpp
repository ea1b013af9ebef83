// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/lens_page.h"

#include <QCompleter>
#include <QStringListModel>

#include "workflow/verdict.h"

namespace va {

namespace {

/// What a number is called on screen: "h_xxyy" is the horizontal axis's term with x² y².
QString lensValueLabel(const char* name) {
    const QString n = QLatin1String(name);
    if (n == "axis_rotation") return LensPage::tr("axis rotation");
    if (n == "squeeze_rest") return LensPage::tr("squeeze, rest");
    if (!n.startsWith("h_") && !n.startsWith("v_")) return n;
    const QString powers[] = {QString(), QString(), QStringLiteral("²"), QString(), QStringLiteral("⁴")};
    QString term;
    for (const QChar axis : {QLatin1Char('x'), QLatin1Char('y')})
        if (const auto times = n.mid(2).count(axis)) term += QStringLiteral(" ") + axis + powers[times];
    return (n.startsWith("h_") ? LensPage::tr("horizontal") : LensPage::tr("vertical")) + term;
}

}  // namespace

LensPage::LensPage(const PageContext& context)
    : Page(tr("Lens")), document_(context.document), edits_(context.lens), chooser_(new QButtonGroup(this)) {
    const QMap<QString, QAction*>& actions = context.actions;
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 4, 0, 2);
    line->setSpacing(0);
    const QString words[lensSections] = {tr("Back"), tr("Distortion"), tr("Chart"), tr("Edges"), tr("Write")};
    for (int i = 0; i < lensSections; ++i) {
        auto* button = new QPushButton(words[i]);
        button->setCheckable(true);
        button->setObjectName(QStringLiteral("lensSection%1").arg(i));
        button->setProperty("segment", true);
        chooser_->addButton(button, i);
        line->addWidget(button, int(words[i].size()));
    }
    insert(row);
    back_ = new BackSection(document_, edits_, actions);
    distortion_ = new Page(tr("Distortion"), Kind::part);
    buildDistortion(actions);
    chart_ = new ChartSection(document_, actions);
    edges_ = new EdgesSection(document_, edits_, actions);
    write_ = new LensWriteSection(document_, actions);
    for (QWidget* w : std::initializer_list<QWidget*>{back_, distortion_, chart_, edges_, write_}) insert(w);
    connect(chooser_, &QButtonGroup::idClicked, this, [this](int id) { showSection(LensSection(id)); });
    showSection(LensSection::back);
}

void LensPage::showSection(LensSection section) {
    chooser_->button(int(section))->setChecked(true);
    QWidget* const parts[lensSections] = {back_, distortion_, chart_, edges_, write_};
    for (int i = 0; i < lensSections; ++i) parts[i]->setVisible(i == int(section));
    refresh();
    Q_EMIT sectionShown(section);
}

void LensPage::edit(const QString& name, const std::function<void(CameraPriors&)>& change) {
    Shot next = document_.shot();
    change(next.priors);
    if (!(next.priors == document_.shot().priors)) document_.edit(name, next);
}

void LensPage::buildDistortion(const QMap<QString, QAction*>& actions) {
    distortionKnown_ = distortion_->choice(tr("Distortion is"), {tr("unknown"), tr("start value"), tr("known")});
    distortionKnown_->setObjectName("distortionKnown");
    model_ = distortion_->choice(tr("Model"), {tr("Brown–Conrady"), tr("division"), tr("fisheye"), tr("anamorphic")});
    model_->setObjectName("lensModel");
    for (int kind = 0; kind < lensKinds; ++kind) {
        const auto names = lensValueNames(LensKind(kind));
        for (int i = 0; i < int(names.size()); ++i) {
            NumberField* field = distortion_->number(lensValueLabel(names[size_t(i)]), 6, QString());
            field->setObjectName(QLatin1String(lensKindName(LensKind(kind))) + "-" + names[size_t(i)]);
            numbers_[size_t(kind)].push_back(field);
            connect(field, &NumberField::edited, this, [this, i, name = lensValueLabel(names[size_t(i)])](double v) {
                edit(tr("Set %1").arg(name), [v, i](CameraPriors& b) {
                    b.lens.setValue(i, v);
                    if (b.distortion == Known::unknown) b.distortion = Known::start;
                });
            });
        }
    }
    distortion_->buttons({actions["undistortedView"], actions["lensGrid"]});
    distortion_->buttons({actions["loadLens"], actions["saveLens"]});
    profile_ = new QLineEdit;
    profile_->setObjectName("lensProfile");
    profile_->setPlaceholderText(tr("lens of the data base"));
    profile_->setToolTip(
        tr("Takes the distortion that the open lens data base knows for this lens at the focal length"));
    auto* completer = new QCompleter(new QStringListModel(profile_), profile_);
    completer->setCaseSensitivity(Qt::CaseInsensitive);
    completer->setFilterMode(Qt::MatchContains);
    profile_->setCompleter(completer);
    profile_->setMinimumWidth(150);
    distortion_->row(tr("Lens"), profile_);
    connect(profile_, &QLineEdit::textEdited, this, [this, completer] {
        auto* model = static_cast<QStringListModel*>(completer->model());
        if (model->rowCount() > 0) return;
        QStringList names;
        for (const auto& n : edits_.base().lenses({}, {})) names << QString::fromStdString(n);
        model->setStringList(names);
    });
    connect(profile_, &QLineEdit::returnPressed, this, [this] {
        if (!profile_->text().trimmed().isEmpty()) edits_.takeProfile(profile_->text().trimmed());
    });
    distortion_->caption(tr("Solved"));
    solved_ = new QLabel;
    solved_->setObjectName("solvedLens");
    solved_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    distortion_->insert(solved_);
    sure_ = distortion_->read(tr("Sure to"), tr("px"));
    note_ = distortion_->note();
    note_->setObjectName("distortionNote");
    connect(distortionKnown_, &QComboBox::activated, this, [this](int i) {
        edit(tr("Set distortion state"), [&, i](CameraPriors& b) {
            // What was solved is the best start there is.
            const Shot& s = document_.shot();
            if (b.distortion == Known::unknown && b.lens.isZero() && s.solve->has() &&
                s.solve->lens.lens.kind() == b.lens.kind())
                b.lens = s.solve->lens.lens;
            b.distortion = Known(i);
        });
    });
    connect(model_, &QComboBox::activated, this, [this](int i) {
        if (document_.shot().priors.lens.kind() != LensKind(i)) edits_.setModel(LensKind(i));
    });
}

void LensPage::refresh() {
    if (back_->isVisibleTo(this)) back_->refresh();
    if (distortion_->isVisibleTo(this)) refreshDistortion();
    if (chart_->isVisibleTo(this)) chart_->refresh();
    if (edges_->isVisibleTo(this)) edges_->refresh();
    if (write_->isVisibleTo(this)) write_->refresh();
}

void LensPage::refreshDistortion() {
    const Shot& s = document_.shot();
    const CameraPriors& b = s.priors;
    distortionKnown_->setCurrentIndex(int(b.distortion));
    model_->setCurrentIndex(int(b.lens.kind()));
    for (int kind = 0; kind < lensKinds; ++kind)
        for (size_t i = 0; i < numbers_[size_t(kind)].size(); ++i) {
            NumberField* f = numbers_[size_t(kind)][i];
            f->parentWidget()->setVisible(LensKind(kind) == b.lens.kind() && b.distortion != Known::unknown);
            if (LensKind(kind) == b.lens.kind()) f->setValue(b.lens.value(int(i)));
        }
    const SolveResult& r = *s.solve;
    const bool has = r.hasLens();
    QStringList rows;
    for (int i = 0; has && i < r.lens.lens.count(); ++i) {
        const char* name = lensValueNames(r.lens.lens.kind())[size_t(i)];
        const auto sure = std::find_if(r.lensNumbers.begin(), r.lensNumbers.end(),
                                       [&](const LensNumber& n) { return n.name == name; });
        if (r.lens.lens.value(i) == 0 && sure == r.lensNumbers.end()) continue;
        rows << tr("<tr><td>%1 </td><td align=right>%2</td><td align=right>&nbsp;%3</td></tr>")
                    .arg(lensValueLabel(name),
                         QString::number(r.lens.lens.value(i), 'f', 6).replace('-', QChar(0x2212)),
                         sure == r.lensNumbers.end() ? tr("given") : tr("± %1").arg(sure->sigma, 0, 'f', 6));
    }
    solved_->setText(rows.isEmpty() ? (has ? tr("no distortion") : QString("–"))
                                    : "<table width=100%>" + rows.join(QString()) + "</table>");
    sure_->setText(has && r.lensMapSigmaPx > 0 ? QString::number(r.lensMapSigmaPx, 'f', 2) : QString("–"));
    note_->setText(r.distortionRefusedPx < 0 ? QString() : QString::fromStdString(refusalOf(r)));
}

}  // namespace va
