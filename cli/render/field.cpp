#include "cli/render/field.h"

#include <fmt/core.h>

#include <algorithm>
#include <optional>

#include "cli/render/shell.h"
#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kWidestCell = 24;

std::string with_unit(const std::string& value, const std::string& unit) {
  return safe_text(unit.empty() || value.empty() ? value : value + " " + unit);
}

// `crew[2].wage` is the row 2 of the table `crew`, and its column `wage`.
struct TableCell {
  std::string table;
  std::string row;
  std::string column;
};

std::optional<TableCell> table_cell(const std::string& path) {
  const auto close = path.rfind(']');
  const auto open = path.rfind('[', close);
  if (close == std::string::npos || open == std::string::npos) return std::nullopt;
  const std::string behind = path.substr(close + 1);
  return TableCell{path.substr(0, open), path.substr(open + 1, close - open - 1),
                   behind.empty() ? "" : behind.substr(1)};
}

// Neighbours that belong into one table, from `begin` on; none where it would be no table.
std::size_t table_end(const std::vector<ShownField>& fields, std::size_t begin) {
  const auto first = table_cell(fields[begin].path);
  if (!first || first->column.empty()) return begin;
  std::size_t end = begin;
  for (; end < fields.size(); ++end) {
    const auto cell = table_cell(fields[end].path);
    if (!cell || cell->table != first->table || cell->column.empty()) break;
  }
  return end;
}

std::string table_text(std::span<const ShownField> fields, const Style& style) {
  std::vector<std::string> columns;
  std::vector<std::string> rows;
  for (const ShownField& field : fields) {
    const TableCell cell = *table_cell(field.path);
    const std::string head =
        field.unit.empty() ? cell.column : cell.column + " (" + field.unit + ")";
    if (std::ranges::find(columns, head) == columns.end()) columns.push_back(head);
    if (std::ranges::find(rows, cell.row) == rows.end()) rows.push_back(cell.row);
  }
  std::vector<std::vector<std::string>> cells(rows.size(),
                                              std::vector<std::string>(columns.size()));
  std::vector<std::size_t> widths;
  for (const std::string& column : columns) widths.push_back(columns_of(column));
  std::size_t row = 0;
  for (const ShownField& field : fields) {
    const TableCell cell = *table_cell(field.path);
    const std::string head =
        field.unit.empty() ? cell.column : cell.column + " (" + field.unit + ")";
    while (rows[row] != cell.row) row = (row + 1) % rows.size();
    const auto column =
        static_cast<std::size_t>(std::ranges::find(columns, head) - columns.begin());
    cells[row][column] = style.fitted(safe_text(field.value), kWidestCell);
    widths[column] = std::max(widths[column], columns_of(cells[row][column]));
  }
  const std::string name = table_cell(fields.front().path)->table;
  const std::size_t first = std::max(columns_of(name), columns_of(rows.back()) + 2);
  std::string text = "  " + style.paint(Tone::key, padded(name, first));
  for (std::size_t i = 0; i < columns.size(); ++i)
    text += "  " + style.paint(Tone::quiet,
                               i + 1 < columns.size() ? padded(columns[i], widths[i]) : columns[i]);
  text += "\n";
  for (std::size_t i = 0; i < rows.size(); ++i) {
    text += "  " + padded("[" + rows[i] + "]", first);
    for (std::size_t column = 0; column < columns.size(); ++column)
      text += "  " + padded(cells[i][column], widths[column]);
    while (text.ends_with(' ')) text.pop_back();
    text += "\n";
  }
  return text;
}

std::string sum_text(const FieldSum& sum, const Style& style) {
  return fmt::format("{}{}  {:x} is stored, and {:x} is right\n", style.paint(Tone::bad, "✗ "),
                     safe_text(sum.path), sum.stored, sum.right);
}

std::string head_text(const FieldReport& report, const Style& style) {
  return fmt::format("{}  {}, {}\n", style.paint(Tone::title, safe_text(report.game.title)),
                     to_string(report.system),
                     style.paint(Tone::quiet, "map: " + safe_text(report.map)));
}

std::string copies_text(const FieldReport& report, const Style& style) {
  std::string text;
  for (const FieldCopy& copy : report.copies)
    text += fmt::format(
        "  copy at 0x{:x}  {}{}{}\n", copy.at,
        copy.sound ? "its checksums are right" : style.paint(Tone::warn, "its checksums are wrong"),
        copy.counter ? fmt::format(", counter {}", *copy.counter) : "",
        copy.counts ? style.paint(Tone::good, "  the game loads this one") : "");
  return text;
}

std::string broken_text(const BrokenRule& rule, const Style& style) {
  return fmt::format("{}{}{}: {}\n", style.paint(Tone::bad, "✗ "),
                     rule.path.empty() ? "" : safe_text(rule.path) + "  ", safe_text(rule.rule),
                     safe_text(rule.text));
}

// It lies where it lay: only whether it was done is of interest, and how to take it back.
std::string move_text(const MoveReport& move, const Style& style) {
  const std::string where = path_text(move.to);
  std::string text;
  switch (move.status) {
    case MoveStatus::planned: text = fmt::format("○ {} would be changed\n", where); break;
    case MoveStatus::stopped:
      text = fmt::format("{}{} was not changed\n", style.paint(Tone::bad, "✗ "), where);
      break;
    case MoveStatus::done:
      text = fmt::format("{}{} is changed  {}\n", style.paint(Tone::good, "✓ "), where,
                         style.paint(Tone::quiet, move.move));
      break;
  }
  text += findings_text(move.checks, style, 4) + findings_text(move.losses, style, 4);
  if (move.status == MoveStatus::done) text += "take it back with: bayswap undo\n";
  return text;
}

}  // namespace

std::string fields_text(const FieldReport& report, const Style& style) {
  std::string text = head_text(report, style);
  std::size_t widest = 0;
  for (const ShownField& field : report.fields)
    widest = std::max(widest, std::min(kWidestCell + kWidestCell / 2, columns_of(field.path)));
  for (std::size_t i = 0; i < report.fields.size();) {
    const std::size_t end = table_end(report.fields, i);
    if (end > i + 1) {
      text += table_text(std::span(report.fields).subspan(i, end - i), style);
      i = end;
      continue;
    }
    const ShownField& field = report.fields[i++];
    text +=
        fmt::format("  {}  {}{}\n", style.paint(Tone::key, padded(safe_text(field.path), widest)),
                    with_unit(field.value, field.unit),
                    field.label.empty() ? std::string()
                                        : "  " + style.paint(Tone::quiet, safe_text(field.label)));
  }
  for (const FieldSum& sum : report.sums) text += sum_text(sum, style);
  if (!report.sums.empty())
    text += fmt::format("    → if somebody else edited it: bayswap field seal {}\n",
                        shell_path(report.save));
  return text;
}

std::string field_check_text(const FieldReport& report, const Style& style) {
  std::string text = head_text(report, style) + copies_text(report, style);
  if (report.sums.empty() && report.sums_right > 0)
    text += fmt::format("{}{} right\n", style.paint(Tone::good, "✓ "),
                        report.sums_right == 1
                            ? std::string("its checksum is")
                            : fmt::format("all {} checksums are", report.sums_right));
  for (const FieldSum& sum : report.sums) text += sum_text(sum, style);
  if (!report.sums.empty())
    text += fmt::format("    → make them right: bayswap field seal {}\n", shell_path(report.save));
  if (report.broken.empty())
    text += style.paint(Tone::good, "✓ ") + "no rule of the map is broken\n";
  for (const BrokenRule& rule : report.broken) text += broken_text(rule, style);
  return text;
}

std::string field_changes_text(const std::vector<FieldChange>& changes, const Style& style) {
  std::string text;
  for (const FieldChange& change : changes) {
    const std::string name = change.label.empty() ? change.path : change.label;
    text += fmt::format("  {}  {} → {}\n", style.paint(Tone::key, safe_text(name)),
                        change.before.empty() ? "nothing" : safe_text(change.before),
                        change.after.empty() ? "nothing" : with_unit(change.after, change.unit));
  }
  return text.empty() ? "  no field differs\n" : text;
}

std::string field_edited_text(const FieldEdited& edited, bool plan, bool sealing,
                              const Style& style) {
  std::string text;
  for (const FieldEdited::Illegal& illegal : edited.illegal) {
    text += broken_text(illegal.rule, style);
    if (!illegal.legal.empty()) text += fmt::format("    → legal: {}\n", safe_text(illegal.legal));
  }
  const bool written = !edited.moves.empty() || !edited.copy.empty();
  if (edited.nothing_to_do)
    return text + (sealing ? "its checksums are right already: nothing to do\n"
                           : "it holds that already: nothing to do\n");
  if (!edited.illegal.empty() && !written)
    return text + "  nothing was written\n    → if it is meant: --accept not-legal\n";
  if (!sealing || !edited.changes.empty()) text += field_changes_text(edited.changes, style);
  for (const FieldSum& sum : edited.sums)
    text += fmt::format("  {}  {:x} → {:x}\n", style.paint(Tone::key, safe_text(sum.path)),
                        sum.stored, sum.right);
  if (!edited.copy.empty())
    return text + fmt::format("{}{} {}\n", style.paint(Tone::good, "✓ "),
                              plan ? "would be written to" : "written to", path_text(edited.copy));
  for (const MoveReport& move : edited.moves) text += move_text(move, style);
  return text;
}

std::string found_fields_text(const FoundFields& found, const Style& style) {
  if (found.found.empty()) return "nothing fits\n";
  std::string text;
  for (const MapLines& one : found.found) text += "  " + one.words + "\n";
  if (found.all > found.found.size())
    text +=
        style.paint(Tone::quiet,
                    fmt::format("  and {} more: another save, in which the value differs, leaves "
                                "fewer",
                                grouped(found.all - found.found.size()))) +
        "\n";
  return text + "\n" + style.paint(Tone::quiet, "# for a map, the likeliest:") + "\n" +
         found.found.front().lines;
}

}  // namespace bayswap::cli
