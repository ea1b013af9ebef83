// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QAbstractButton>
#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QMap>
#include <QPushButton>
#include <QVBoxLayout>

#include "inspector/number_field.h"

namespace va {

class Document;
class FeatureEdits;
class GroundEdits;
class PhotoEdits;
class ExchangeEdits;
class LayoutEdits;
class LensEdits;
class SlipWatch;
class ProofEdits;
class ProofLive;
class SolveEdits;
class StillEdits;

/// What a page of the inspector shows and changes.
struct PageContext {
    Document& document;
    FeatureEdits& features;
    LensEdits& lens;
    SolveEdits& solve;
    GroundEdits& ground;
    PhotoEdits& photo;
    StillEdits& stills;
    LayoutEdits& layout;
    ExchangeEdits& exchange;
    ProofEdits& proof;
    ProofLive& live;
    SlipWatch& slip;
    const QMap<QString, QAction*>& actions;  ///< by name, for the buttons of a page
};

/// The head of a section: a click, Space or Return folds what stands below it.
class FoldHeader : public QAbstractButton {
    Q_OBJECT
  public:
    /// `key` names the section in the settings, where its state is kept; `open` holds until it is first changed.
    FoldHeader(const QString& text, const QString& key, bool open, QWidget* body, QWidget* parent = nullptr);
    /// Opens or folds the section, without remembering it.
    void setOpen(bool open);
    [[nodiscard]] QSize sizeHint() const override;

  protected:
    void paintEvent(QPaintEvent* event) override;
    /// Space and Return are the header's while it has the focus, not playback's.
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    QWidget* body_;
};

enum class Fold { open, closed };

/// One step's page, or a section of one: rows are added from the top.
class Page : public QWidget {
    Q_OBJECT
  public:
    /// `part`: stands on a page, with a title. `section`: a part that its title folds, closed or open at first.
    enum class Kind { page, part, section, openSection };
    explicit Page(const QString& title, Kind kind = Kind::page);
    /// Brings the fields up to date with the document.
    virtual void refresh() {}
    /// Begins a section: what is added from now on stands below its head and folds with it.
    void caption(const QString& text, Fold fold = Fold::open);
    void row(const QString& name, QWidget* value, const QString& unit = {}) { insert(labelled(name, value, unit)); }
    /// A value with its label at the left and its unit after it, for a page or a part of one.
    static QWidget* labelled(const QString& name, QWidget* value, const QString& unit = {});
    QLabel* read(const QString& name, const QString& unit = {});
    NumberField* number(const QString& name, int decimals, const QString& unit);
    void buttons(const QList<QAction*>& actions);
    QLabel* note();
    QComboBox* choice(const QString& name, const QStringList& words);
    QCheckBox* check(const QString& name);
    /// Adds a widget to the section in hand.
    void insert(QWidget* widget);
    /// Adds a section after all others: nothing of the section in hand folds with it.
    void insertSection(Page* section);

  private:
    QString title_;
    QVBoxLayout* layout_;
    QVBoxLayout* body_;  ///< of the section in hand
};

/// Opens every section that `widget` stands in.
void unfold(QWidget* widget);

}  // namespace va
