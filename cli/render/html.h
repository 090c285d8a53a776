// HTML as a tree, so that everything foreign in it is escaped. The files are valid HTML 5: one
// file, no scripts, nothing that is loaded.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "bayswap/face.h"
#include "bayswap/finding.h"

namespace pugi {
class xml_document;
class xml_node;
}  // namespace pugi

namespace bayswap::cli {

class HtmlPage {
 public:
  /// `title`: of the page, also its first heading.
  explicit HtmlPage(const std::string& title);
  ~HtmlPage();
  HtmlPage(const HtmlPage&) = delete;
  HtmlPage& operator=(const HtmlPage&) = delete;

  void heading(const std::string& text);
  void paragraph(const std::string& text, const char* of_class = "");
  /// What to type, as it stands. An option with its value stays on one line.
  void command(const std::string& text, const std::string& option);
  /// Names and values.
  void facts(const std::vector<std::pair<std::string, std::string>>& facts);
  /// `caption`: read aloud before the table.
  void table(const std::string& caption, const std::vector<std::string>& heads,
             const std::vector<std::vector<std::string>>& rows);
  void findings(const Findings& findings);

  /// Pictures side by side, each with words for those who do not see it.
  struct Figure {
    std::string png;  ///< bytes, as base64; empty: no picture
    std::string alt;
    std::vector<std::string> caption;  ///< lines
  };
  void figures(const std::vector<Figure>& figures);
  /// A bar of cells, each filled so far (percent).
  void strip(const std::string& name, const std::vector<unsigned>& cells);
  /// A map of cells: a colour's number (0 to 12) and a sign for each.
  struct Cell {
    unsigned colour = 0;
    std::string sign;
    std::string words;
  };
  void map(const std::string& words, const std::vector<Cell>& cells);

  [[nodiscard]] std::string text() const;

 private:
  std::unique_ptr<pugi::xml_document> document_;
};

/// The picture as PNG in base64; empty where it has no pixels.
[[nodiscard]] std::string base64_png(const Picture& picture);
[[nodiscard]] std::string base64_of(ByteView bytes);

}  // namespace bayswap::cli
