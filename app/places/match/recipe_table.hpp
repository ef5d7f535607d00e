// The match by hand: one row a knob, in the order in which they are turned, and what is left after each step.
#pragma once

#include <QTableWidget>

#include "match/recipe.hpp"

namespace refero::app {

class RecipeTable : public QTableWidget {
    Q_OBJECT

public:
    explicit RecipeTable(QWidget* parent = nullptr);
    void set(const match::Recipe* recipe);

private:
    void heading(const QString& step, const match::Recipe& recipe, const std::string& residual_of);
    void row(const QString& what, const QString& set);
    void move(const match::HueMove& move);
};

} // namespace refero::app
