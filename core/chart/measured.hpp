// Own measurements of a chart: series from an instrument or a maker's file, averaged, with what falls out named.
#pragma once

#include "chart/chart.hpp"

namespace refero::chart {

/// What measured values are stated for. Spectra are turned into XYZ under it; XYZ and Lab were already.
struct Conditions {
    enum class Illuminant { d50, d55, d65, d75, a } illuminant = Illuminant::d50;
    enum class Observer { two_degrees, ten_degrees } observer = Observer::two_degrees;
    /// D50, 2 degrees: what references are.
    bool standard() const { return illuminant == Illuminant::d50 && observer == Observer::two_degrees; }
    /// White point, Y = 1.
    Vec3 white() const;
};

/// One measurement of a whole chart.
struct Series {
    std::filesystem::path file;
    std::vector<std::string> ids;           ///< as the file calls them; "1", "2" ... where it does not
    std::vector<Vec3> xyz;                  ///< adapted to D50 (Bradford), Y = 1 for the perfect diffuser
    std::vector<colour::Spectrum> spectrum; ///< reflectance; empty where the file has none
    bool named = true;                      ///< the file names its patches
};

/// Reads CGATS text, or a table with separators (comma, semicolon or tab) whose first line names its columns: an id
/// (id, sample_id, sample, name, patch), and X Y Z, or L a b, or wavelengths (380, nm380, SPECTRAL_NM380 ...). XYZ is
/// on a scale of 100; reflectance of 0 to 1 or, where a value is above 2, in percent. A decimal comma is understood
/// where the separator is another. Throws Error(input) naming file, line and remedy.
Series load_series(const std::filesystem::path& file, const Conditions& conditions = {});
Series parse_series(const std::string& text, const std::filesystem::path& file, const Conditions& conditions = {});

/// A measurement that is far from the others of its patch.
struct Outlier {
    std::filesystem::path file;
    std::string id;
    double delta_e_2000 = 0; ///< from the middle of all measurements of the patch
};
struct Averaged {
    Reference reference;
    std::vector<Outlier> outliers; ///< left out of the mean, farthest first
    std::map<std::string, double>
        spread;                       ///< CIEDE2000 from the mean, root mean square, of patches measured twice and more
    std::vector<std::string> missing; ///< patches of the chart that no series has
    std::vector<std::string> unknown; ///< ids of the series that the chart does not have
};
/// Averages series patch by patch. Files that name no patches go by order. With three series and more a measurement is
/// an outlier when it is more than 1 CIEDE2000, and three times what is usual, from the patch's median.
Averaged average(const Definition& definition, const std::vector<Series>& series);

/// Values of the card in hand, beside those that they replace.
struct Brought {
    Reference reference;                                 ///< a value for each patch of the chart
    std::vector<std::pair<std::string, double>> changed; ///< CIEDE2000 from the old value by patch, largest first
    double mean = 0, median = 0;                         ///< of them
};
/// Checks a table of one card's values against the chart and the values that it has: each patch once, on the right
/// scale, in the right order, for the stated illuminant. Throws Error(input) with a plain word where one of these
/// fails, nothing being kept. Without old values only the layout is checked.
Brought bring_values(const Definition& definition, const Reference* old, const std::string& table,
                     const std::filesystem::path& file, const Conditions& conditions);
/// Reference values as CGATS text: XYZ, and spectra where each patch has one.
std::string cgats_of(const Reference& reference);

} // namespace refero::chart
