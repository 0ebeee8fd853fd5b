// What the command line knows of itself, for readers outside of the program.
#include <fmt/format.h>

#include <algorithm>

#include "command_line.hpp"
#include "williwaw/version.hpp"

namespace williwaw::cli {

namespace {

constexpr const char* exit_codes =
    "0 done, 1 an internal error, 2 the\ninput is wrong, 3 the step is unstable or the run blew up, 4 a "
    "solver or "
    "tolerance was not met, 130 interrupted (what was\nrecorded is kept).";

std::vector<const CLI::App*> commands_of(const CLI::App& app) {
  return app.get_subcommands([](const CLI::App*) { return true; });
}

// Positional arguments and options, as their author ordered them.
std::vector<const CLI::Option*> arguments_of(const CLI::App& command) {
  return command.get_options([](const CLI::Option* o) { return o->get_positional(); });
}
std::vector<const CLI::Option*> options_of(const CLI::App& command) {
  return command.get_options([](const CLI::Option* o) { return !o->get_positional(); });
}

std::vector<std::string> names_of(const CLI::Option& option) {
  std::vector<std::string> names;
  for (const auto& name : option.get_snames()) names.push_back("-" + name);
  for (const auto& name : option.get_lnames()) names.push_back("--" + name);
  return names;
}

bool takes_value(const CLI::Option& option) {
  return option.get_items_expected_max() > 0;
}

std::string joined(const std::vector<std::string>& words, const std::string& between) {
  std::string result;
  for (const auto& word : words) result += (result.empty() ? "" : between) + word;
  return result;
}

std::string usage(const CLI::App& command) {
  std::string result = "williwaw " + command.get_name();
  for (const auto* a : arguments_of(command)) {
    const std::string more = a->get_items_expected_max() > 1 ? ".." : "";
    result += a->get_required() ? " " + a->get_name() + more : " [" + a->get_name() + more + "]";
  }
  return result + " [options]";
}

std::string meaning(const CLI::Option& option) {
  const std::string value = option.get_default_str();
  return option.get_description() + (value.empty() ? "" : " (" + value + ")");
}

// Lines of the examples, without the word above them.
std::vector<std::string> examples_of(const CLI::App& command) {
  std::vector<std::string> result;
  std::istringstream in(command.get_footer());
  for (std::string line; std::getline(in, line);)
    if (line.starts_with("  ")) result.push_back(line.substr(2));
  return result;
}

std::string in_table(std::string text) {
  for (std::size_t at = 0; (at = text.find('|', at)) != std::string::npos; at += 2)
    text.replace(at, 1, "\\|");
  return text;
}

// Text of a page of the manual: neither minus signs nor points at the start of a line mean anything else.
std::string in_roff(const std::string& text) {
  std::string result;
  for (const char c : text) result += c == '-' ? "\\-" : c == '\\' ? "\\e" : std::string(1, c);
  return result.starts_with('.') || result.starts_with('\'') ? "\\&" + result : result;
}

}  // namespace

std::string commands_as_markdown(const CLI::App& app) {
  std::string text = fmt::format(
      "# Commands\n\nWritten by `williwaw describe`; `williwaw COMMAND --help` says the same. Exit codes: "
      "{}\n",
      exit_codes);
  for (const CLI::App* command : commands_of(app)) {
    text += fmt::format("\n## {}\n\n{}.\n\n```\n{}\n```\n", command->get_name(), command->get_description(),
                        usage(*command));
    std::string rows;
    for (const auto* a : arguments_of(*command))
      rows += fmt::format("| `{}` | {} |\n", a->get_name(), in_table(meaning(*a)));
    for (const auto* o : options_of(*command))
      rows += fmt::format("| `{}`{} | {} |\n", joined(names_of(*o), "`, `"), takes_value(*o) ? " .." : "",
                          in_table(meaning(*o)));
    text += "\n| | |\n|---|---|\n" + rows;
    if (const auto examples = examples_of(*command); !examples.empty())
      text += "\n```\n" + joined(examples, "\n") + "\n```\n";
  }
  return text;
}

std::string commands_as_manual(const CLI::App& app) {
  std::string text = fmt::format(
      ".TH WILLIWAW 1 \"\" \"williwaw {}\" \"User commands\"\n.SH NAME\nwilliwaw \\- {}\n.SH SYNOPSIS\n.B "
      "williwaw\n"
      "COMMAND [options]\n.SH DESCRIPTION\nA case file states a problem with units; the commands check it, "
      "solve it and "
      "show its results.\n",
      version, "heat, diffusion, waves and transport on structured grids");
  for (const CLI::App* command : commands_of(app)) {
    text += fmt::format(".SH {}\n{}.\n.PP\n.B {}\n", in_roff(command->get_name()),
                        in_roff(command->get_description()), in_roff(usage(*command)));
    for (const auto* a : arguments_of(*command))
      text += fmt::format(".TP\n.I {}\n{}\n", in_roff(a->get_name()), in_roff(meaning(*a)));
    for (const auto* o : options_of(*command))
      text += fmt::format(".TP\n.B {}{}\n{}\n", in_roff(joined(names_of(*o), ", ")),
                          takes_value(*o) ? " .." : "", in_roff(meaning(*o)));
    for (const std::string& example : examples_of(*command))
      text += ".PP\n.EX\n" + in_roff(example) + "\n.EE\n";
  }
  text += fmt::format(".SH EXIT STATUS\n{}\n", exit_codes);
  return text;
}

std::string commands_as_completion(const CLI::App& app) {
  std::string names, cases;
  for (const CLI::App* command : commands_of(app)) {
    names += (names.empty() ? "" : " ") + command->get_name();
    std::vector<std::string> options;
    for (const auto* o : options_of(*command))
      for (const auto& name : names_of(*o)) options.push_back(name);
    cases += fmt::format("    {}) words=\"{}\" ;;\n", command->get_name(), joined(options, " "));
  }
  return "# Completion for bash: . <(williwaw describe --as completion)\n"
         "_williwaw() {\n"
         "  local word=${COMP_WORDS[COMP_CWORD]} words\n"
         "  if [ \"$COMP_CWORD\" -eq 1 ]; then\n"
         "    COMPREPLY=($(compgen -W \"" +
         names +
         " --help --version\" -- \"$word\"))\n"
         "    return\n"
         "  fi\n"
         "  case ${COMP_WORDS[1]} in\n" +
         cases +
         "  esac\n"
         "  COMPREPLY=()\n"
         "  # Options where one is begun, files and folders elsewhere.\n"
         "  [[ $word == -* ]] && COMPREPLY=($(compgen -W \"$words\" -- \"$word\"))\n"
         "}\n"
         "complete -o bashdefault -o default -F _williwaw williwaw\n";
}

}  // namespace williwaw::cli
