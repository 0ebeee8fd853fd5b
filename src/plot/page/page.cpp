// A self-contained page: its data, its player, and what it looks like in one file.
#include "williwaw/plot/page.hpp"

#include <openssl/evp.h>

#include <bit>
#include <cmath>
#include <set>

#include "parts.hpp"
#include "williwaw/store/checked_file.hpp"

namespace williwaw::plot {

static_assert(std::endian::native == std::endian::little, "browsers read numbers as this machine has them");

std::uintmax_t characters_of(std::uintmax_t bytes) {
  return (bytes + 2) / 3 * 4;
}

std::string base64(std::span<const unsigned char> bytes) {
  // By pieces of whole groups of three: the function counts in int.
  constexpr std::size_t piece = 3 << 20;
  std::string result(characters_of(bytes.size()) + 1, '\0');
  auto* out = reinterpret_cast<unsigned char*>(result.data());
  for (std::size_t from = 0; from < bytes.size(); from += piece) {
    const auto some = bytes.subspan(from, std::min(piece, bytes.size() - from));
    out += EVP_EncodeBlock(out, some.data(), static_cast<int>(some.size()));
  }
  result.pop_back();
  return result;
}

namespace {

template <class Number>
std::string numbers_as_text(std::span<const Number> values) {
  return base64({reinterpret_cast<const unsigned char*>(values.data()), values.size_bytes()});
}

std::string palette(Colour (*colour)(Real)) {
  std::vector<unsigned char> bytes;
  for (int n = 0; n < 256; ++n) {
    const Colour c = colour(n / 255.0);
    for (const Real part : {c.red, c.green, c.blue})
      bytes.push_back(static_cast<unsigned char>(std::lround(255 * std::clamp(part, 0.0, 1.0))));
  }
  return base64(bytes);
}

std::string in_markup(const std::string& text) {
  std::string result;
  for (const char c : text) result += c == '<' ? "&lt;" : c == '&' ? "&amp;" : std::string(1, c);
  return result;
}

// Nothing in the data may end the element that they stand in.
std::string in_script(const nlohmann::ordered_json& data) {
  const std::string text = data.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
  std::string result;
  result.reserve(text.size());
  for (const char c : text)
    if (c == '<')
      result += "\\u003c";
    else
      result += c;
  return result;
}

// Puts text where the markup names it. What is put in is not looked at again.
std::string filled(const std::string& markup,
                   const std::vector<std::pair<std::string, const std::string*>>& parts) {
  std::string result;
  for (std::size_t at = 0; at < markup.size();) {
    const std::size_t open = markup.find("{{", at), close = markup.find("}}", open);
    result += markup.substr(at, open - at);
    if (close == std::string::npos) break;
    const auto part = std::ranges::find(parts, markup.substr(open + 2, close - open - 2),
                                        &std::pair<std::string, const std::string*>::first);
    if (part != parts.end()) result += *part->second;
    at = close + 2;
  }
  return result;
}

// What tells runs apart: their titles, the names of their folders where titles are alike, or else whole
// paths.
std::vector<std::string> names_of_runs(const std::vector<std::unique_ptr<RunFolder>>& runs) {
  std::vector<std::string> titles, folders, paths;
  for (const auto& run : runs) {
    titles.push_back(run->fields().description().title);
    folders.push_back(std::filesystem::weakly_canonical(run->folder()).stem());
    paths.push_back(run->folder().string());
  }
  for (const auto& names : {titles, folders})
    if (std::set(names.begin(), names.end()).size() == names.size()) return names;
  return paths;
}

}  // namespace

std::string reals(std::span<const Real> values) {
  return numbers_as_text(values);
}

std::string singles(std::span<const float> values) {
  return numbers_as_text(values);
}

Page write_page(const std::vector<std::filesystem::path>& runs, const std::filesystem::path& file,
                std::uintmax_t most_bytes) {
  if (runs.empty()) throw PlotError("a page needs a run to show");
  std::vector<std::unique_ptr<RunFolder>> opened;
  for (const auto& run : runs) opened.push_back(std::make_unique<RunFolder>(run));
  const auto names = names_of_runs(opened);
  const store::Scale time = opened.front()->fields().description().time;
  const std::string style = player_style, script = player_script;
  // The player itself, palettes and notes are what every page has.
  const std::uintmax_t always = script.size() + style.size() + 16'000;
  const std::uintmax_t each = (most_bytes - std::min(most_bytes, always)) / runs.size();
  Page page;
  nlohmann::ordered_json all = nlohmann::ordered_json::array();
  std::string note;
  for (std::size_t n = 0; n < runs.size(); ++n) {
    std::vector<std::string> left_out;
    const auto numbers = numbers_of(*opened[n]);
    // What figures leave is for fields.
    const auto figures = figures_of(*opened[n], each / 3, left_out);
    std::uintmax_t taken = numbers.dump().size();
    for (const auto& figure : figures) taken += figure["source"].get_ref<const std::string&>().size();
    std::string of_run;
    all.push_back(data_of(*opened[n], names[n], time, each - std::min(each, taken), of_run));
    all.back()["numbers"] = numbers;
    all.back()["figures"] = figures;
    for (const std::string& name : left_out) of_run += "; without " + name;
    page.notes.push_back(of_run);
    note += (n == 0 ? "" : "; ") + (runs.size() > 1 ? names[n] + ": " : "") + of_run;
  }
  std::string title = opened.front()->fields().description().title;
  for (std::size_t n = 1; n < runs.size(); ++n)
    if (const std::string& other = opened[n]->fields().description().title;
        title.find(other) == std::string::npos)
      title += ", " + other;
  nlohmann::ordered_json colours{{"ink", ink}, {"pale", faint}, {"accent", accent().hex()}};
  for (Index n = 0; n < 6; ++n) colours["distinct"].push_back(distinct(n).hex());
  const std::string data =
      in_script({{"palettes", {{"sequential", palette(sequential)}, {"diverging", palette(diverging)}}},
                 {"colours", colours},
                 {"runs", std::move(all)}});
  const std::string heading = in_markup(title), ink_text = ink, accent_text = accent().hex(),
                    ground_text = ground;
  note = in_markup(note);
  const std::string whole = filled(player_markup, {{"title", &heading},
                                                   {"ink", &ink_text},
                                                   {"accent", &accent_text},
                                                   {"ground", &ground_text},
                                                   {"style", &style},
                                                   {"note", &note},
                                                   {"data", &data},
                                                   {"script", &script}});
  if (file.has_parent_path()) std::filesystem::create_directories(file.parent_path());
  store::write_file(file, whole);
  page.bytes = whole.size();
  return page;
}

}  // namespace williwaw::plot
