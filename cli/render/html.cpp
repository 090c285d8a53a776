#include "cli/render/html.h"

#include <fmt/core.h>
#include <openssl/evp.h>

#include <array>
#include <pugixml.hpp>
#include <sstream>

#include "cli/render/remedies.h"
#include "core/bytes/text.h"
#include "core/packing/png.h"

namespace bayswap::cli {
namespace {

constexpr const char* kStyle =
    ":root{color-scheme:light dark;--page:#fdfdfb;--ink:#1c2126;--soft:#57606a;--line:#d5d8dc;"
    "--good:#116329;--warn:#7a4d00;--bad:#a40e26;--cell:#e8eaed}"
    "@media(prefers-color-scheme:dark){:root{--page:#12161b;--ink:#e4e8ec;--soft:#a5adb6;"
    "--line:#363d46;--good:#5cc97f;--warn:#e3b341;--bad:#ff8b8b;--cell:#262c34}}"
    "body{margin:0;background:var(--page);color:var(--ink);font:16px/1.5 system-ui,sans-serif}"
    "main{max-width:62rem;margin:0 auto;padding:1.5rem}"
    "h1{font-size:1.6rem;line-height:1.2}h2{font-size:1.15rem;margin:2rem 0 .5rem}"
    "table{border-collapse:collapse;width:100%;margin:.75rem 0}"
    "caption{text-align:left;color:var(--soft);padding:.25rem 0}"
    "th,td{text-align:left;vertical-align:top;padding:.3rem .75rem .3rem 0;"
    "border-bottom:1px solid var(--line);overflow-wrap:break-word}"
    "tbody th{overflow-wrap:anywhere;font-weight:500}"
    "dl{display:grid;grid-template-columns:max-content 1fr;gap:.15rem 1rem;margin:.5rem 0}"
    "dt{color:var(--soft)}dd{margin:0;overflow-wrap:anywhere}"
    "code,pre{font:.9rem/1.5 ui-monospace,monospace}"
    "pre{background:var(--cell);padding:.6rem .8rem;border-radius:.3rem;white-space:pre-wrap;"
    "overflow-wrap:anywhere}.whole{white-space:nowrap}"
    "ul.findings{list-style:none;padding:0}ul.findings li{margin:.4rem 0}"
    ".good{color:var(--good)}.warn{color:var(--warn)}.error{color:var(--bad)}.note,.soft{color:var("
    "--soft)}"
    ".figures{display:flex;flex-wrap:wrap;gap:1rem;list-style:none;padding:0}"
    ".figures li{border:1px solid var(--line);border-radius:.4rem;padding:.6rem;width:13rem}"
    ".figures "
    "img{image-rendering:pixelated;min-width:64px;max-width:100%;display:block;margin-bottom:.4rem}"
    ".figures span{display:block;overflow-wrap:anywhere}"
    ".strip{display:flex;height:1.4rem;align-items:flex-end;background:var(--cell);max-width:36rem;"
    "margin:.2rem 0 .6rem}"
    ".strip span{flex:1;background:var(--good)}"
    ".map{display:flex;flex-wrap:wrap;gap:2px;max-width:48rem;margin:.5rem 0}"
    ".map span{width:1.5rem;height:1.5rem;line-height:1.5rem;text-align:center;font-size:.75rem;"
    "background:var(--cell);border-radius:2px}"
    ".map .c1{background:#e69f00}.map .c2{background:#56b4e9}.map .c3{background:#1f9e78}"
    ".map .c4{background:#f0e442}.map .c5{background:#cc79a7}.map .c6{background:#e8743b}"
    ".map .c7{background:#80b1d3}.map .c8{background:#b3de69}.map .c9{background:#beaed4}"
    ".map .c10{background:#fdc086}.map .c11{background:#66c2a5}.map .c12{background:#e78ac3}"
    ".map [class^=c]:not(.c0){color:#111}";

pugi::xml_node add(pugi::xml_node to, const char* name, const std::string& text = "",
                   const char* of_class = "") {
  pugi::xml_node node = to.append_child(name);
  if (of_class[0] != '\0') node.append_attribute("class") = of_class;
  if (!text.empty()) node.text() = safe_text(text).c_str();
  return node;
}

const char* word_of(Level level) {
  switch (level) {
    case Level::note: return "note";
    case Level::warn: return "warn";
    case Level::error: return "error";
  }
  return "note";
}

}  // namespace

HtmlPage::HtmlPage(const std::string& title) : document_(std::make_unique<pugi::xml_document>()) {
  pugi::xml_node html = document_->append_child("html");
  html.append_attribute("lang") = "en";
  pugi::xml_node head = html.append_child("head");
  head.append_child("meta").append_attribute("charset") = "utf-8";
  pugi::xml_node view = head.append_child("meta");
  view.append_attribute("name") = "viewport";
  view.append_attribute("content") = "width=device-width, initial-scale=1";
  add(head, "title", title + " · Bay Swap");
  add(head, "style", "").text() = kStyle;
  pugi::xml_node main = html.append_child("body").append_child("main");
  add(main, "h1", title);
}

HtmlPage::~HtmlPage() = default;

namespace {

pugi::xml_node main_of(pugi::xml_document& document) {
  return document.child("html").child("body").child("main");
}

}  // namespace

void HtmlPage::heading(const std::string& text) {
  add(main_of(*document_), "h2", text);
}

void HtmlPage::paragraph(const std::string& text, const char* of_class) {
  add(main_of(*document_), "p", text, of_class);
}

void HtmlPage::command(const std::string& text, const std::string& option) {
  pugi::xml_node code = add(add(main_of(*document_), "pre"), "code");
  code.append_child(pugi::node_pcdata).set_value(safe_text(text + " ").c_str());
  add(code, "span", option, "whole");
}

void HtmlPage::facts(const std::vector<std::pair<std::string, std::string>>& facts) {
  pugi::xml_node list;
  for (const auto& [name, value] : facts) {
    if (value.empty()) continue;
    if (!list) list = add(main_of(*document_), "dl");
    add(list, "dt", name);
    add(list, "dd", value);
  }
}

void HtmlPage::table(const std::string& caption, const std::vector<std::string>& heads,
                     const std::vector<std::vector<std::string>>& rows) {
  pugi::xml_node table = add(main_of(*document_), "table");
  add(table, "caption", caption);
  pugi::xml_node head = add(add(table, "thead"), "tr");
  for (const std::string& name : heads) add(head, "th", name).append_attribute("scope") = "col";
  pugi::xml_node body = add(table, "tbody");
  for (const std::vector<std::string>& row : rows) {
    pugi::xml_node line = add(body, "tr");
    for (std::size_t i = 0; i < row.size(); ++i) {
      pugi::xml_node cell = add(line, i == 0 ? "th" : "td", row[i]);
      if (i == 0) cell.append_attribute("scope") = "row";
    }
  }
}

void HtmlPage::findings(const Findings& findings) {
  if (findings.empty()) return;
  pugi::xml_node list = add(main_of(*document_), "ul", "", "findings");
  for (const Finding& finding : findings) {
    pugi::xml_node item = add(list, "li");
    add(item, "strong", fmt::format("{}: ", to_string(finding.code)), word_of(finding.level));
    item.append_child(pugi::node_pcdata).set_value(safe_text(finding.text).c_str());
    if (finding.hint.empty()) continue;
    add(item, "br");
    add(item, "span", "→ " + hint_text(finding.hint), "soft");
  }
}

void HtmlPage::figures(const std::vector<Figure>& figures) {
  if (figures.empty()) return;
  pugi::xml_node list = add(main_of(*document_), "ul", "", "figures");
  for (const Figure& figure : figures) {
    pugi::xml_node item = add(list, "li");
    if (!figure.png.empty()) {
      pugi::xml_node image = item.append_child("img");
      image.append_attribute("src") = ("data:image/png;base64," + figure.png).c_str();
      image.append_attribute("alt") = safe_text(figure.alt).c_str();
    }
    for (std::size_t i = 0; i < figure.caption.size(); ++i)
      add(item, i == 0 ? "strong" : "span", figure.caption[i], i == 0 ? "" : "soft");
  }
}

void HtmlPage::strip(const std::string& name, const std::vector<unsigned>& cells) {
  if (cells.empty()) return;
  pugi::xml_node bar = add(main_of(*document_), "div", "", "strip");
  bar.append_attribute("role") = "img";
  const auto full =
      std::count_if(cells.begin(), cells.end(), [](unsigned cell) { return cell > 0; });
  bar.append_attribute("aria-label") =
      safe_text(fmt::format("{}: {} of {} pieces hold something", name, full, cells.size()))
          .c_str();
  for (const unsigned cell : cells)
    add(bar, "span").append_attribute("style") =
        fmt::format("height:{}%", std::min(cell, 100U)).c_str();
}

void HtmlPage::map(const std::string& words, const std::vector<Cell>& cells) {
  pugi::xml_node map = add(main_of(*document_), "div", "", "map");
  map.append_attribute("role") = "img";
  map.append_attribute("aria-label") = safe_text(words).c_str();
  for (const Cell& cell : cells)
    add(map, "span", cell.sign, fmt::format("c{}", cell.colour).c_str()).append_attribute("title") =
        safe_text(cell.words).c_str();
}

std::string HtmlPage::text() const {
  std::ostringstream out;
  out << "<!DOCTYPE html>\n";
  document_->save(
      out, "", pugi::format_raw | pugi::format_no_declaration | pugi::format_no_empty_element_tags,
      pugi::encoding_utf8);
  // HTML knows elements that have no end. Foreign text can't look like one: its < is escaped.
  std::string text = out.str();
  for (const char* end : {"</meta>", "</img>", "</br>"}) text = replaced(std::move(text), end, "");
  return text + "\n";
}

std::string base64_of(ByteView bytes) {
  std::string text((bytes.size() + 2) / 3 * 4 + 1, '\0');
  const int size = EVP_EncodeBlock(reinterpret_cast<unsigned char*>(text.data()),
                                   reinterpret_cast<const unsigned char*>(bytes.data()),
                                   static_cast<int>(bytes.size()));
  text.resize(static_cast<std::size_t>(size));
  return text;
}

std::string base64_png(const Picture& picture) {
  if (picture.pixels.empty()) return {};
  const auto png = png_of(picture);
  return png ? base64_of(*png) : std::string();
}

}  // namespace bayswap::cli
