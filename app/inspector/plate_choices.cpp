// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/plate_choices.h"

#include <QFileInfo>
#include <QVBoxLayout>

#include "base/error.h"
#include "inspector/page.h"

namespace va {
PlateChoices::PlateChoices(Document& document, QWidget* parent)
    : QWidget(parent), document_(document), stream_(new QComboBox), series_(new QComboBox), even_(new QCheckBox) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(2);
    stream_->setObjectName("plateStream");
    series_->setObjectName("plateSeries");
    even_->setObjectName("plateEvenTimes");
    series_->setMaximumWidth(150);
    streamRow_ = Page::labelled(tr("Stream"), stream_);
    seriesRow_ = Page::labelled(tr("Series"), series_);
    even_->setText(tr("Even frame times"));
    even_->setToolTip(
        tr("Puts the frames of a variable rate on an even grid: each shows the stored frame nearest in time"));
    layout->addWidget(streamRow_);
    layout->addWidget(seriesRow_);
    layout->addWidget(even_);
    connect(stream_, &QComboBox::activated, this, [this] {
        PlateOverrides o = document_.shot().overrides;
        o.stream = stream_->currentData().toInt();
        reopen(tr("Choose stream"), document_.shot().plateSpec, o);
    });
    connect(series_, &QComboBox::activated, this, [this] {
        const std::string spec = series_->currentData().toString().toStdString();
        if (spec != document_.shot().plateSpec) reopen(tr("Choose series"), spec, document_.shot().overrides);
    });
    connect(even_, &QCheckBox::clicked, this, [this](bool on) {
        PlateOverrides o = document_.shot().overrides;
        o.evenTimes = on;
        reopen(on ? tr("Even frame times") : tr("Stored frame times"), document_.shot().plateSpec, o);
    });
    refresh();
}

void PlateChoices::reopen(const QString& name, const std::string& spec, const PlateOverrides& overrides) {
    try {
        document_.reopenPlate(name, QString::fromStdString(spec), overrides);
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    } catch (const Cancelled&) {
        Q_EMIT document_.troubled(tr("Opening was cancelled."));
    }
    refresh();
}

void PlateChoices::refresh() {
    const Shot& s = document_.shot();
    const PlateInfo& p = s.plate;
    streamRow_->setVisible(p.streams.size() > 1);
    stream_->clear();
    for (const int n : p.streams) stream_->addItem(QString::number(n), n);
    stream_->setCurrentIndex(stream_->findData(p.stream));
    seriesRow_->setVisible(!p.otherSeries.empty());
    series_->clear();
    const auto add = [this](const std::string& spec) {
        const QString text = QString::fromStdString(spec);
        series_->addItem(QFileInfo(text).fileName(), text);
    };
    if (!p.otherSeries.empty()) add(s.plateSpec);
    for (const std::string& spec : p.otherSeries) add(spec);
    even_->setVisible(!p.times.empty() || s.overrides.evenTimes);
    even_->setChecked(s.overrides.evenTimes);
    setVisible(p.streams.size() > 1 || !p.otherSeries.empty() || !even_->isHidden());
}

}  // namespace va
