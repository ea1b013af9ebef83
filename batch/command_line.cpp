// SPDX-License-Identifier: GPL-3.0-or-later
#include "command_line.h"

#include <CLI/CLI.hpp>

#include "commands.h"

namespace va {

CommandOption& CommandOption::required() {
    option_->required();
    return *this;
}
CommandOption& CommandOption::oneOf(std::vector<std::string> words) {
    option_->check(CLI::IsMember(std::move(words)));
    return *this;
}
CommandOption& CommandOption::between(double low, double high) {
    option_->check(CLI::Range(low, high));
    return *this;
}
CommandOption& CommandOption::aboveZero() {
    option_->check(CLI::PositiveNumber);
    return *this;
}
CommandOption& CommandOption::check(std::function<std::string(const std::string&)> wrong) {
    option_->check(std::move(wrong));
    return *this;
}
CommandOption& CommandOption::hidden() {
    option_->group("");
    return *this;
}

CommandLine::CommandLine(const std::string& about, const std::string& version)
    : own_(std::make_unique<CLI::App>(about)), app_(own_.get()) {
    app_->set_version_flag("--version", version);
    app_->require_subcommand(1);
}
CommandLine::CommandLine(CLI::App* app) : app_(app) {}
CommandLine::~CommandLine() = default;
CommandLine::CommandLine(CommandLine&&) noexcept = default;

CommandLine CommandLine::command(const std::string& name, const std::string& about) {
    app_->require_subcommand(1);
    return CommandLine(app_->add_subcommand(name, about));
}
CommandLine& CommandLine::hidden() {
    app_->group("");
    return *this;
}

CommandOption CommandLine::option(const std::string& name, std::string& value, const std::string& about) {
    return CommandOption(app_->add_option(name, value, about));
}
CommandOption CommandLine::option(const std::string& name, double& value, const std::string& about) {
    return CommandOption(app_->add_option(name, value, about));
}
CommandOption CommandLine::option(const std::string& name, int& value, const std::string& about) {
    return CommandOption(app_->add_option(name, value, about));
}
CommandOption CommandLine::option(const std::string& name, uint64_t& value, const std::string& about) {
    return CommandOption(app_->add_option(name, value, about));
}
CommandOption CommandLine::option(const std::string& name, std::vector<std::string>& values, const std::string& about) {
    return CommandOption(app_->add_option(name, values, about));
}
CommandOption CommandLine::option(const std::string& name, std::vector<int>& values, const std::string& about) {
    return CommandOption(app_->add_option(name, values, about));
}
CommandOption CommandLine::flag(const std::string& name, bool& value, const std::string& about) {
    return CommandOption(app_->add_flag(name, value, about));
}

void CommandLine::onChosen(std::function<void()> act) { app_->callback(std::move(act)); }

bool CommandLine::parse(int argc, char** argv, int& code) {
    try {
        app_->parse(argc, argv);
        return true;
    } catch (const CLI::ParseError& e) {
        code = app_->exit(e) == 0 ? exitDone : exitUsage;
        return false;
    }
}

}  // namespace va
