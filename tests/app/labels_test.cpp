// SPDX-License-Identifier: GPL-3.0-or-later
// Label geometry against Qt's own outlines of the same font.
#include <QFontDatabase>
#include <QPainterPath>
#include <QtTest>

#include <Eigen/Geometry>
#include <map>

#include "layout/glyphs.h"

using namespace va;

namespace {

/// Area that a path covers, by its filled outline without overlaps.
double areaOf(const QPainterPath& path) {
    double sum = 0;
    for (const QPolygonF& p : path.simplified().toSubpathPolygons())
        for (qsizetype i = 0; i + 1 < p.size(); ++i) sum += p[i].x() * p[i + 1].y() - p[i + 1].x() * p[i].y();
    return std::fabs(sum / 2);
}

/// How often each edge between positions is used in one sense and in the other; a closed surface has both the same.
bool closed(const Shape& s) {
    std::map<std::array<double, 6>, int> count;
    for (const auto& t : s.triangles())
        for (size_t k = 0; k < 3; ++k) {
            const Eigen::Vector3d &a = s.vertices[size_t(t[k])], &b = s.vertices[size_t(t[(k + 1) % 3])];
            ++count[{a.x(), a.y(), a.z(), b.x(), b.y(), b.z()}];
            --count[{b.x(), b.y(), b.z(), a.x(), a.y(), a.z()}];
        }
    return std::all_of(count.begin(), count.end(), [](const auto& e) { return e.second == 0; });
}

}  // namespace

class LabelsTest : public QObject {
    Q_OBJECT
  private Q_SLOTS:
    void areaIsThatOfQt_data() {
        QTest::addColumn<QString>("words");
        for (const char* words : {"SLIP 4", "LAUNCH", "o8%&", "boatyard", "Ägir"})
            QTest::newRow(words) << QString::fromUtf8(words);
    }
    void areaIsThatOfQt() {
        QFETCH(QString, words);
        const int id = QFontDatabase::addApplicationFont(VA_SOURCE_DIR "/app/style/fonts/Inter-SemiBold.otf");
        QVERIFY(id >= 0);
        QFont font(QFontDatabase::applicationFontFamilies(id).first());
        font.setWeight(QFont::DemiBold);
        font.setPixelSize(1000);
        font.setHintingPreference(QFont::PreferNoHinting);
        // Each letter alone: where they stand to each other is shaping, not outline.
        double expected = 0;
        for (const QChar c : words) {
            QPainterPath path;
            path.addText(0, 0, font, QString(c));
            expected += areaOf(path) / 1e6;
        }
        const TextSolid solid = textSolid(words.toStdString(), "", 1, 0.1, 0);
        QVERIFY2(std::fabs(solid.area / expected - 1) < 0.005,
                 qPrintable(QStringLiteral("%1 instead of %2").arg(solid.area).arg(expected)));
    }
    void solidsAreClosedAndLookOutward() {
        for (const char* words : {"SLIP 4", "o8%&", "B"}) {
            const TextSolid plain = textSolid(words, "", 2, 0.3, 0);
            QVERIFY(closed(plain.shape));
            // A prism: area times depth.
            QVERIFY(std::fabs(volumeOf(plain.shape) / (plain.area * 0.3) - 1) < 1e-9);
        }
    }
    void bevelIsAPrismatoid() {
        const double em = 2, depth = 0.3, bevel = 0.02;
        for (const char* words : {"L", "SLIP 4", "X"}) {
            const TextSolid solid = textSolid(words, "", em, depth, bevel);
            QVERIFY(closed(solid.shape));
            QVERIFY2(solid.bevelled > 0, words);
            if (solid.bevelled < bevel - 1e-12) continue;  // letters with narrow places have bevels of their own
            // Between the back of the bevel and its front: h/6 (A0 + 4 Am + A1) with the areas of the outline moved in
            // by nothing, half and whole of the bevel (prismatoid formula, any handbook of geometry).
            const auto area = [&](double by) {
                const TextSolid in = textSolid(words, "", em, by, by);
                double front = 0;
                for (const auto& t : in.shape.triangles()) {
                    const Eigen::Vector3d &a = in.shape.vertices[size_t(t[0])], &b = in.shape.vertices[size_t(t[1])],
                                          &c = in.shape.vertices[size_t(t[2])];
                    if (a.z() == by && b.z() == by && c.z() == by) front += (b - a).cross(c - a).z() / 2;
                }
                return front;
            };
            const double slab = bevel / 6 * (solid.area + 4 * area(bevel / 2) + area(bevel));
            QVERIFY2(std::fabs(volumeOf(solid.shape) / (solid.area * (depth - bevel) + slab) - 1) < 1e-4, words);
        }
        // A bevel wider than any stroke: as wide as it can be, and still closed.
        const TextSolid wide = textSolid("SLIP 4", "", 1, 1, 0.5);
        QVERIFY(closed(wide.shape));
        QVERIFY(wide.bevelled > 0 && wide.bevelled < 0.5);
        QVERIFY(volumeOf(wide.shape) > 0);
    }
    void fontsOfTheSystemAndTheShippedOne() {
        QVERIFY(!outlineOfText("A", "").glyphs.empty());
        QVERIFY(textTrouble("A", "No Such Font At All").size() > 0);
        QVERIFY(!outlineOfText("A", "No Such Font At All").glyphs.empty());
        for (const std::string& family : fontFamilies()) QVERIFY(!family.empty());
        QCOMPARE(outlineOfText("A\nB", "").lines, 2);
        QVERIFY(outlineOfText("", "").glyphs.empty());
        QVERIFY(textTrouble("SLIP 4", "").empty());
    }
};

QTEST_MAIN(LabelsTest)
#include "labels_test.moc"
