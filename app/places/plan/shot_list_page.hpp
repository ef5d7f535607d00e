// The shot list as a page: on screen, on paper, as PDF.
#pragma once

#include <QPagedPaintDevice>
#include <QString>
#include <filesystem>

#include "plan/shot_list.hpp"

namespace refero::app {

QString shot_list_html(const plan::ShotList& list, double point_size);
/// Paints onto one page: the type is made smaller until it fits, down to what can still be read (7 points); a list
/// that is longer than that takes more pages. Gives the number of pages.
int paint_shot_list(const plan::ShotList& list, QPagedPaintDevice& device);
/// A4, whole or not there. Throws Error. Gives the number of pages.
int save_shot_list_pdf(const plan::ShotList& list, const std::filesystem::path& file);

} // namespace refero::app
