#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/model/error.hpp"
#include "assay/plan/plan_file.hpp"

namespace assay::plan {
namespace {

struct Malformed {
  const char* name;
  std::string text;
  const char* message;  ///< must be part of what is said
};

const std::string two =
    "[[candidate]]\nname = \"a\"\nexe = \"./a\"\n[[candidate]]\nname = \"b\"\nexe = \"./b\"\n";
const std::string work = "[[workload]]\nname = \"w\"\nrun = [\"${exe}\"]\n";
const std::string service = "[[workload]]\nname='w'\nservice={start=['./a','${port}']}\n";

const std::vector<Malformed> malformed = {
    {"MisspeltSection", "[paln]\n", "p.toml:1:2: unknown key \"paln\"; did you mean \"plan\"?"},
    {"MisspeltKey", "[plan]\nbasline = \"a\"\n",
     "p.toml:2:1: unknown key \"basline\" in plan; did you mean \"baseline\"?"},
    {"StrangeKey", "[plan]\nzzz = 1\n", "known here: title, baseline"},
    {"KeyOfAWorkload", two + "[[workload]]\nname='w'\nrunn=['x']\n",
     "p.toml:9:1: unknown key \"runn\" in workload[0]; did you mean \"run\"?"},
    {"UnknownBaseline", "[plan]\nbaseline = \"c\"\n" + two + work,
     "p.toml:2:1: baseline \"c\" is not among the candidates"},
    {"TwoOfOneName", two + two + work, "p.toml:8:1: two candidates are named \"a\""},
    {"NoName", "[[candidate]]\nexe='./a'\n" + two + work, "a candidate without a name"},
    {"OnlyOne", "[[candidate]]\nname='a'\nexe='./a'\n" + work, "\"a\" is the only candidate"},
    {"None", work, "p.toml: nothing to compare: there is no candidate"},
    {"NoProgram", "[[candidate]]\nname='x'\n" + two + work, "candidate \"x\" has no program"},
    {"NoWorkload", two, "p.toml: there is no workload"},
    {"NoCommand", two + "[[workload]]\nname='w'\n", "workload \"w\" has no command"},
    {"EmptyCommand", two + "[[workload]]\nname='w'\nrun=[]\n", "workload[0].run is empty"},
    {"NoLevels", two + work + "[[factor]]\nname='n'\nlevels=[]\n", "p.toml:12:1: factor \"n\" has no levels"},
    {"LevelsLeftOut", two + work + "[[factor]]\nname='n'\n", "factor \"n\" has no levels"},
    {"LevelTwice", two + work + "[[factor]]\nname='n'\nlevels=[1,2,1]\n", "has level 1 twice"},
    {"ReservedFactor", two + work + "[[factor]]\nname='exe'\nlevels=[1]\n",
     "\"exe\" is a reserved placeholder"},
    {"UnknownRole", two + work + "[[factor]]\nname='n'\nlevels=[1]\nrole='sice'\n",
     "unknown role \"sice\"; did you mean \"size\"?"},
    {"UnknownPlaceholder",
     two + "[[workload]]\nname='w'\nrun=['${exe}','${lock}']\n[[factor]]\nname='locks'\nlevels=[1]\n",
     "p.toml:9:1: unknown placeholder ${lock}; did you mean \"locks\"?"},
    {"ReservedPlaceholder", two + "[[workload]]\nname='w'\nrun=['${exe}','${out}']\n",
     "placeholder ${out} has no value here"},
    {"NoTrialNoPort", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={program=['./ok','${port}']}\n",
     "placeholder ${port} has no value here"},
    {"OpenPlaceholder", two + "[[workload]]\nname='w'\nrun=['${exe']\n", "\"${\" without \"}\""},
    {"ReservedWith", "[[candidate]]\nname='c'\nexe='./c'\nwith={port=1}\n" + two + work,
     "reserved placeholder"},
    {"WithBrace", "[[candidate]]\nname='c'\nexe='./c'\nwith={'a}'=1}\n" + two + work, "a name with a brace"},
    {"FactorLineBreak", two + work + "[[factor]]\nname=\"a\\nb\"\nlevels=[1]\n", "control character"},
    {"WithNoSuchLevel",
     "[[candidate]]\nname='c'\nexe='./c'\nwith={n=3}\n" + two + work + "[[factor]]\nname='n'\nlevels=[1]\n",
     "3 is not a level of factor \"n\""},
    {"SettleWithoutTimes",
     two + work + "[[metric]]\nname='rate'\nfrom='stdout'\npattern='r ([0-9]+)'\nlead_in='2 s'\n",
     "its values have no times, so that none lies before 2 s"},
    {"SettleOfOneValue", two + work + "[[metric]]\nname='wall time'\nlead_in=20\n",
     "\"wall time\" has one value a trial, none of which is left out"},
    {"SettleOfWhat",
     two + work + "[[metric]]\nname='rate'\nfrom='stdout'\npattern='r ([0-9]+)'\nlead_in='soon'\n",
     "\"soon\" is neither a time nor a number of values"},
    {"ServiceWithoutPort",
     two + "[[workload]]\nname='w'\nservice={start=['./a']}\nrequests={path='/',clients=2}\n",
     "the server is not given its port"},
    {"ServiceWithoutRequests", two + service, "nothing is asked of the service"},
    {"RequestsWithoutService", two + work + "requests={path='/',clients=2}\n",
     "there is no server that the requests go to"},
    {"ServiceThatRuns", two + work + "service={start=['./a','${port}']}\nrequests={path='/',clients=2}\n",
     "a service gets either requests or a program that asks it"},
    {"TwoLoops", two + service + "requests={path='/',clients=2,arrivals='4/s'}\n", "either so many clients"},
    {"NoClients", two + service + "requests={path='/',clients='few'}\n", "\"few\" is no number of clients"},
    {"NoRate", two + service + "requests={path='/',arrivals='40'}\n", "\"40\" is no rate"},
    {"Http2WithoutTls", two + service + "requests={path='/',clients=2,protocol='http/2'}\n",
     "HTTP/2 is spoken over TLS"},
    {"ServiceThatPauses", two + service + "requests={path='/',clients=2}\npause='1 s'\n",
     "a server warms up by requests"},
    {"AuthorityWithoutTls", two + service + "requests={path='/',clients=2,authority='c.pem'}\n",
     "a certificate is looked at with TLS only"},
    {"KeptServersWithoutTwin",
     "rounds={twin=false}\n" + two +
         "[[workload]]\nname='w'\nservice={start=['./a','${port}'],keep='session'}\nrequests={path='/"
         "',clients=2}\n",
     "servers that are kept up differ by how each happened to start"},
    {"KeptServersLinkedAnew",
     "[build]\nsteps=[['make']]\nexe='${out}/"
     "a'\nrelink=true\n[[candidate]]\nname='a'\nsource='a'\n[[candidate]]\n"
     "name='b'\nsource='b'\n[[workload]]\nname='w'\nservice={start=['./"
     "a','${port}'],keep='session'}\nrequests="
     "{path='/',clients=2}\n",
     "a server that is kept up has one layout"},
    {"FewLayouts",
     "[build]\nsteps=[['make']]\nexe='${out}/"
     "a'\nrelink=3\n[[candidate]]\nname='a'\nsource='a'\n[[candidate]]\nname="
     "'b'\nsource='b'\n" +
         work,
     "so few layouts could decide nothing"},
    {"NoNumberOfLayouts", "[build]\nsteps=[['make']]\nrelink='all'\n" + two + work, "how many layouts"},
    {"ClientWithKeptServers", two + work + "service={start=['./a','${port}'],keep='round'}\n",
     "has it started for each of its trials"},
    {"ClientWithReplies", two + work + "check={equal='replies'}\nservice={start=['./a','${port}']}\n",
     "the program that asks has standard output"},
    {"ServiceStdout",
     two + "[[workload]]\nname='w'\ncheck={equal='stdout'}\nservice={start=['./"
           "a','${port}']}\nrequests={path='/',clients=2}\n",
     "a service has replies"},
    {"ServiceWithoutSuccess",
     two + "[[workload]]\nname='w'\ncheck={status_ok=[]}\nservice={start=['./"
           "a','${port}']}\nrequests={path='/',clients=2}\n",
     "no status would be a success"},
    {"ServiceAbreast",
     "[rounds]\nmode='abreast'\n" + two +
         "[[workload]]\nname='w'\nservice={start=['./a','${port}']}\nrequests={path='/',clients=2}\n",
     "services can't run abreast"},
    {"QuantileOfFewRequests",
     "[plan]\nwatch=['latency p99']\n" + two +
         "[[workload]]\nname='w'\nservice={start=['./a','${port}']}\nrequests={path='/"
         "',clients=2,count=500}\n",
     "latency p99 takes 1000 requests a trial"},
    {"TitleNumber", "[plan]\ntitle = 3\n",
     "p.toml:2:9: plan.title is a whole number; expected text in quotes"},
    {"MarginNumber", "[plan]\nmargin = 1\n", "expected a quantity with its unit, in quotes"},
    {"MarginNoSign", "[plan]\nmargin = \"1\"\n", "\"1\" is not a share"},
    {"MarginZero", "[plan]\nmargin = \"0 %\"\n" + two + work, "p.toml:2:1: the margin must be above 0 %"},
    {"BudgetNoUnit", "[rounds]\nbudget = \"10\"\n", "\"10\" is not a duration"},
    {"TooFewRounds", "[rounds]\nmax = 5\n" + two + work,
     "p.toml:2:1: 5 rounds can't decide anything at the 5 % level; the smallest number that can is"},
    {"MinAboveMax", "[rounds]\nmin = 30\nmax = 20\n" + two + work,
     "the least number of rounds is above the most"},
    {"RoundsText", "[rounds]\nmax = \"many\"\n", "rounds.max is text; expected a whole number"},
    {"RoundsNegative", "[rounds]\nmax = -1\n", "rounds.max is -1"},
    {"UnknownMetric", "[plan]\nwatch = [\"wal time\"]\n" + two + work,
     "unknown metric \"wal time\"; did you mean \"wall time\"?"},
    {"UnwatchableMetric", "[plan]\nwatch = [\"cores used\"]\n" + two + work,
     "\"cores used\" can't be watched"},
    {"WatchText", "[plan]\nwatch = \"wall time\"\n", "plan.watch is text; expected a list of texts"},
    {"WatchNumbers", "[plan]\nwatch = [1]\n", "an entry of plan.watch is a whole number"},
    {"CandidateTable", "[candidate]\nname='a'\n", "write [[candidate]], with double brackets"},
    {"CandidateText", "candidate = \"a\"\n", "candidate is text; expected a list of tables"},
    {"UnknownSkip", two + "[[workload]]\nname='w'\nrun=['${exe}']\nskip=['c']\n",
     "skipped \"c\" is not among the candidates"},
    {"NothingLeft", two + "[[workload]]\nname='w'\nrun=['${exe}']\nskip=['b']\n",
     "no candidate is left to compare"},
    {"UnknownMode", "[rounds]\nmode = \"abrest\"\n", "unknown mode \"abrest\"; did you mean \"abreast\"?"},
    {"AbreastWallTime", "[plan]\nwatch=['wall time']\n[rounds]\nmode='abreast'\n" + two + work,
     "p.toml:2:1: \"wall time\" can't be watched of candidates that run abreast"},
    {"SlicesSwitches", "[plan]\nwatch=['voluntary switches']\n[rounds]\nmode='slices'\n" + two + work,
     "\"voluntary switches\" can't be watched of candidates that run in slices"},
    {"AbreastNice", "[rounds]\nmode='abreast'\n[control]\nnice=3\n" + two + work,
     "nice can't be had for candidates that run abreast"},
    {"ControlKey", "[control]\ncore=[0]\n", "unknown key \"core\" in control; did you mean \"cores\"?"},
    {"CoresText", "[control]\ncores='0'\n", "control.cores is text; expected a list of core numbers"},
    {"CoreTooHigh", "[control]\ncores=[4096]\n" + two + work, "4096 is not the number of a core"},
    {"NiceText", "[control]\nnice='high'\n", "control.nice is text; expected a whole number"},
    {"FreshText", "[control]\nfresh='yes'\n", "control.fresh is text; expected true or false"},
    {"LimitNoUnit", "[control]\nmemory_limit='64'\n", "\"64\" is not an amount of memory"},
    {"StepKey", "[control]\nbefore={runn=['x']}\n", "unknown key \"runn\" in control.before"},
    {"StepNumber", "[control]\nafter=3\n", "control.after is a whole number; expected an argument list"},
    {"StepNoCommand", "[control]\nafter={timeout='3 s'}\n", "control.after has no command"},
    {"WorkText", two + "[[workload]]\nname='w'\nrun=['${exe}']\nwork='500'\n",
     "\"500\" is not an amount of work"},
    {"WorkNoUnit", two + "[[workload]]\nname='w'\nrun=['${exe}']\nwork={amount=5}\n",
     "expected text in quotes, like \"500 routes\""},
    {"OldPause", "[control]\nsettle='1 s'\n", "\"settle\" in control is named \"pause\" now"},
    {"OldWarmup", two + service + "requests={path='/',settle=9}\n", "is named \"warmup\" now"},
    {"OldLeadIn", two + work + "[[metric]]\nname='r'\nsettle=9\n", "is named \"lead_in\" now"},
    {"WorkNegative", two + "[[workload]]\nname='w'\nrun=['${exe}']\nwork='-5 x'\n",
     "the amount of work is \"-5\""},
    {"MetricFromNowhere", two + work + "[[metric]]\nname='rate'\npattern='(x)'\n",
     "metric \"rate\" comes from nowhere"},
    {"MetricNoPattern", two + work + "[[metric]]\nname='rate'\nfrom='stdout'\n",
     "needs either a pattern or a JSON pointer"},
    {"MetricBoth", two + work + "[[metric]]\nname='rate'\nfrom='stdout'\npattern='(x)'\njson='/x'\n",
     "needs either a pattern or a JSON pointer"},
    {"MetricNoGroup", two + work + "[[metric]]\nname='rate'\nfrom='stdout'\npattern='x'\n",
     "p.toml:13:1: pattern has 0 groups"},
    {"MetricPointer", two + work + "[[metric]]\nname='rate'\nfrom='stdout'\njson='x'\n", "begins with /"},
    {"MetricPick", two + work + "[[metric]]\nname='rate'\nfrom='stdout'\npattern='(x)'\npick='middle'\n",
     "\"middle\" does not pick a number"},
    {"MetricPrefer", two + work + "[[metric]]\nname='rate'\nfrom='stdout'\npattern='(x)'\nprefer='more'\n",
     "unknown prefer \"more\""},
    {"MetricOwnFrom", two + work + "[[metric]]\nname='wall time'\nfrom='stdout'\npattern='(x)'\n",
     "\"wall time\" is measured by Assay itself"},
    {"MetricTwice", two + work + "[[metric]]\nname='wall time'\n[[metric]]\nname='wall time'\n",
     "two metrics are named \"wall time\""},
    {"MetricWorkload", two + work + "[[metric]]\nname='r'\nfrom='stdout'\npattern='(x)'\nworkloads=['v']\n",
     "\"v\" is not among the workloads"},
    {"MetricDiscarded",
     "[control]\nkeep_output=false\n" + two + work + "[[metric]]\nname='r'\nfrom='stdout'\npattern='(x)'\n",
     "workload \"w\" does not keep its output"},
    {"UnknownEqual", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={equal='stderr'}\n",
     "equal = \"stderr\" is not known"},
    {"BadPattern", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={match='('}\n",
     "match is not a regular expression"},
    {"BadStatus", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={exit_ok=[256]}\n",
     "256 is not an exit status"},
    {"NoStatus", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={exit_ok=[]}\n",
     "no exit status would be a success"},
    {"CheckText", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck='equal'\n",
     "expected a table: { equal = \"stdout\" }"},
    {"WeightZero", two + "[[workload]]\nname='w'\nrun=['${exe}']\nweight=0\n", "a number above 0"},
    {"WeightText", two + "[[workload]]\nname='w'\nrun=['${exe}']\nweight='2'\n", "a number above 0"},
    {"TimeoutBare", two + "[[workload]]\nname='w'\nrun=['${exe}']\ntimeout='30'\n",
     "\"30\" is not a duration"},
    {"BuildNoSteps", "[build]\nexe='x'\n" + two + work, "p.toml:1:1: [build] has no steps"},
    {"BuildFlat", "[build]\nsteps=['make']\n",
     "an entry of build.steps is text; expected a list of argument lists"},
    {"BuildEmptyStep", "[build]\nsteps=[[]]\n", "a step of build.steps is empty"},
    {"BuildNumber", "[build]\nsteps=[['make', 3]]\n", "an entry of a step of build.steps is a whole number"},
    {"BuildKey", "[build]\nstep=[['make']]\n", "unknown key \"step\" in build; did you mean \"steps\"?"},
    {"BuildYieldsNothing", "[build]\nsteps=[['make']]\n[[candidate]]\ncommits=['a','b']\n" + work,
     "say what its build yields: exe = \"${out}/"},
    {"CommitNoBuild", "[[candidate]]\ncommits=['a','b']\nexe='./a'\n" + work,
     "p.toml:1:1: nothing says how candidate \"a\" is built; give the plan a [build]"},
    {"OneNameTwoCommits",
     "[build]\nsteps=[['make']]\nexe='x'\n[[candidate]]\nname='n'\ncommits=['a','b']\n" + work,
     "one name for 2 commits"},
    {"CommitTwice", "[build]\nsteps=[['make']]\nexe='x'\n[[candidate]]\ncommits=['a','a']\n" + work,
     "two candidates are named \"a\""},
    {"OutOfNowhere", two + "[[workload]]\nname='w'\nrun=['${exe}','${out}']\n",
     "placeholder ${out} has no value here"},
    {"AgainstNobody", two + "[[candidate]]\nname='c'\nexe='./c'\nagainst='bb'\n" + work,
     "p.toml:10:1: \"bb\" is not among the candidates; did you mean \"b\"?"},
    {"AgainstOfBaseline", "[plan]\nbaseline='b'\n" + two + "against='a'\n" + work,
     "the plan's baseline \"b\" is compared with another"},
    {"AgainstInACircle", two + "against='c'\n[[candidate]]\nname='c'\nexe='./c'\nagainst='b'\n" + work,
     "in a circle"},
    {"CheckBoth", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={equal='stdout',file='f'}\n",
     "both equal and file say what the answer must be"},
    {"ToleranceAlone", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={tolerance=0.1}\n",
     "a tolerance, but nothing to be near to"},
    {"ToleranceWhole", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={equal='stdout',tolerance=1}\n",
     "expected a share of the number"},
    {"ToleranceTooWide",
     two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={equal='stdout',tolerance=1.5}\n",
     "a tolerance must be from 0 to below 1"},
    {"SizeNoUnit", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={min_size='5'}\n",
     "\"5\" is not an amount of memory"},
    {"CheckerText", two + "[[workload]]\nname='w'\nrun=['${exe}']\ncheck={program='./c'}\n",
     "workload[0].check.program is text; expected a list of texts"},
    {"TwinText", "[rounds]\ntwin='yes'\n", "rounds.twin is text; expected true or false"},
    {"Syntax", "[plan\n", "p.toml:1:"},
    {"KeyTwice", "[plan]\ntitle='a'\ntitle='b'\n", "p.toml:3:"},
    {"Nul", std::string("[plan]\n\0", 8), "it holds binary data"},
    {"NulInText", "[plan]\ntitle = \"a\\u0000b\"\n", "text with a NUL character"},
    {"Rubbish", "\x7f\x45LF\x02\x01\xff\xfe\x80", "a plan is a text file in TOML"},
    {"Empty", "", "nothing to compare"},
};

class MalformedPlan : public testing::TestWithParam<Malformed> {};

TEST_P(MalformedPlan, NamesPlaceAndRemedy) {
  try {
    read(GetParam().text, "p.toml", ".");
    FAIL() << "was taken";
  } catch (const Error& error) {
    EXPECT_THAT(error.what(), testing::HasSubstr(GetParam().message));
    EXPECT_EQ(error.code(), Error::Code::request);
    for (const char c : std::string(error.what()))
      EXPECT_GE(static_cast<unsigned char>(c), 0x20) << error.what();
  }
}

INSTANTIATE_TEST_SUITE_P(All, MalformedPlan, testing::ValuesIn(malformed),
                         [](const auto& given) { return given.param.name; });

}  // namespace
}  // namespace assay::plan
