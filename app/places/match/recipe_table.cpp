#include "places/match/recipe_table.hpp"

#include <QHeaderView>

#include "base/base.hpp"
#include "model/text.hpp"
#include "ui/theme.hpp"

namespace refero::app {

RecipeTable::RecipeTable(QWidget* parent) : QTableWidget(0, 3, parent) {
    setHorizontalHeaderLabels({tr("Knob"), tr("Set to"), tr("Left, \u0394E")});
    horizontalHeaderItem(2)->setToolTip(tr("Mean CIEDE2000 to the lead after this step"));
    horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
    horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    verticalHeader()->setDefaultSectionSize(25);
    verticalHeader()->hide();
    setShowGrid(false);
    setEditTriggers(QAbstractItemView::NoEditTriggers);
    setSelectionBehavior(QAbstractItemView::SelectRows);
    setObjectName("recipeTable");
    setAccessibleName(tr("The match by hand"));
}

void RecipeTable::row(const QString& what, const QString& set) {
    const int at = rowCount();
    insertRow(at);
    setItem(at, 0, new QTableWidgetItem("   " + what));
    setItem(at, 1, new QTableWidgetItem(set));
}

void RecipeTable::heading(const QString& step, const match::Recipe& recipe, const std::string& residual_of) {
    const int at = rowCount();
    insertRow(at);
    auto* name = new QTableWidgetItem(step);
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    name->setFont(bold);
    setItem(at, 0, name);
    for (const match::Step& s : recipe.steps)
        if (s.name == residual_of) {
            auto* left = new QTableWidgetItem(QString::number(s.residual, 'f', 2));
            left->setFont(bold);
            setItem(at, 2, left);
        }
}

void RecipeTable::move(const match::HueMove& m) {
    if (m.patches == 0) return;
    row(qt(m.name), tr("saturation %1 %, then hue %2\u00b0")
                        .arg(QString::asprintf("%+.0f", m.saturation_percent), QString::asprintf("%+.1f", m.hue_deg)));
    item(rowCount() - 1, 1)->setToolTip(tr("Drags its neighbours by %1 CIEDE2000").arg(m.drag, 0, 'f', 1));
}

void RecipeTable::set(const match::Recipe* r) {
    setRowCount(0);
    if (!r) return;
    const auto figure = [](double v, int decimals) { return QString::number(v, 'f', decimals); };
    heading(tr("As recorded"), *r, "as recorded");
    heading(tr("1  Balance"), *r, "balance");
    row(tr("gains"),
        tr("red %1, green %2, blue %3").arg(figure(r->gains[0], 3), figure(r->gains[1], 3), figure(r->gains[2], 3)));
    if (r->light)
        row(tr("or the light"),
            tr("%1 K, Duv %2").arg(figure(r->light->kelvin, 0), QString::asprintf("%+.4f", r->light->duv)));
    row(tr("exposure"), tr("%1 stops").arg(QString::asprintf("%+.2f", r->stops)));
    heading(tr("2  Contrast on the greys"), *r, "exposure and contrast");
    const QString channels[] = {tr("red"), tr("green"), tr("blue")};
    for (int c = 0; c < 3; ++c)
        row(channels[c],
            tr("gain %1, offset %2, gamma %3")
                .arg(figure(r->gain[c], 3), QString::asprintf("%+.3f", std::round(1000 * r->offset[c]) / 1000 + 0.0),
                     figure(r->gamma[c], 2)));
    if (r->skin) {
        heading(tr("3  Skin"), *r, "skin");
        move(*r->skin);
    }
    heading(tr("4  Six hues"), *r, "six hues");
    for (const match::HueMove& m : r->six) move(m);
    heading(tr("or eight hues"), *r, "eight hues");
    for (const match::HueMove& m : r->eight) move(m);
}

} // namespace refero::app
