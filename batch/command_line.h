// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <functional>
#include <memory>
#include <stdexcept>
#include <string>
#include <vector>

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace va {

/// The command line is not as it has to be: the option, and what is wrong with it. Ends the program with exitUsage.
class UsageError : public std::runtime_error {
  public:
    UsageError(const std::string& option, const std::string& what) : std::runtime_error(option + ": " + what) {}
};

/// One option of a command, to say more about it.
class CommandOption {
  public:
    explicit CommandOption(CLI::Option* option) : option_(option) {}
    CommandOption& required();
    CommandOption& oneOf(std::vector<std::string> words);
    CommandOption& between(double low, double high);
    CommandOption& aboveZero();
    /// `wrong` gives what is wrong with the text, or nothing.
    CommandOption& check(std::function<std::string(const std::string&)> wrong);
    /// Still understood, but not shown: an older name.
    CommandOption& hidden();

  private:
    CLI::Option* option_;
};

/// The program's command line, or one of its commands. Stands between the commands and the parser's library, whose
/// templates take longer to compile than any of them.
class CommandLine {
  public:
    /// The program itself.
    CommandLine(const std::string& about, const std::string& version);
    ~CommandLine();
    CommandLine(CommandLine&&) noexcept;
    CommandLine& operator=(CommandLine&&) = delete;

    /// A command below this one; one of them has to be given.
    CommandLine command(const std::string& name, const std::string& about);
    /// Still understood, but not shown: an older name.
    CommandLine& hidden();
    /// An option "--name", or without dashes what stands by itself. The variable has to live until the parser is done.
    CommandOption option(const std::string& name, std::string& value, const std::string& about);
    CommandOption option(const std::string& name, double& value, const std::string& about);
    CommandOption option(const std::string& name, int& value, const std::string& about);
    CommandOption option(const std::string& name, uint64_t& value, const std::string& about);
    CommandOption option(const std::string& name, std::vector<std::string>& values, const std::string& about);
    CommandOption option(const std::string& name, std::vector<int>& values, const std::string& about);
    CommandOption flag(const std::string& name, bool& value, const std::string& about = {});
    /// What is done when this command was given.
    void onChosen(std::function<void()> act);
    /// Reads the line. False when the program is done with `code`: help or the version was asked for, or the line was
    /// wrong, which was said.
    bool parse(int argc, char** argv, int& code);

  private:
    explicit CommandLine(CLI::App* app);
    std::unique_ptr<CLI::App> own_;
    CLI::App* app_;
};

}  // namespace va
