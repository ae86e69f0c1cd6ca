package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

// try is one command of the tour and what must come back.
type try struct {
	as     string // the saved sign-in it acts with; "" for none
	args   []string
	input  string   // lines for standard input, secrets among them
	status int      // the exit status expected
	says   []string // what the output must hold
	lacks  []string // what it must not hold
	// keep remembers, under a name, what the only group of a pattern finds in the output; later arguments and input take it
	// as {name}.
	keep   map[string]string
	letter string // instead of a command: the newest letter to this address, as the mail sink shows it
	words  string // the expectation, for people
}

// step is a step of the story.
type step struct {
	number int
	title  string
	tries  []try
}

// exit statuses of the command line.
const (
	failed  = 1
	no      = 3
	revoked = 6
	foreign = 7
)

// Tour goes through the story by the program's command line, against a service that holds what there is before the
// story. It keeps its saved sign-ins in the directory, tells each step, and returns an error at the first difference.
// Letters are read where letters says, the page of a mail sink.
func Tour(ctx context.Context, out io.Writer, program, address, letters, directory string) error {
	t := tourist{out: out, program: program, letters: letters, directory: directory, kept: map[string]string{}}
	for _, s := range story(address) {
		fmt.Fprintf(out, "\n%d. %s\n", s.number, s.title)
		for _, each := range s.tries {
			if err := t.run(ctx, each); err != nil {
				return fmt.Errorf("step %d of the tour: %w", s.number, err)
			}
		}
	}
	return nil
}

type tourist struct {
	out                         io.Writer
	program, letters, directory string
	kept                        map[string]string
}

// filled puts in what was kept.
func (t tourist) filled(text string) string {
	for name, kept := range t.kept {
		text = strings.ReplaceAll(text, "{"+name+"}", kept)
	}
	return text
}

// letter reads the newest letter to an address.
func (t tourist) letter(ctx context.Context, to string) (string, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, t.letters+"/letters", nil)
	if err != nil {
		return "", err
	}
	response, err := http.DefaultClient.Do(r)
	if err != nil {
		return "", err
	}
	defer response.Body.Close()
	var all []struct {
		To            []string
		Subject, Text string
	}
	if err := json.NewDecoder(response.Body).Decode(&all); err != nil {
		return "", err
	}
	for _, l := range all {
		if slices.Contains(l.To, to) {
			return l.Subject + "\n\n" + strings.ReplaceAll(l.Text, "\r\n", "\n"), nil
		}
	}
	return "", fmt.Errorf("no letter has come to %s", to)
}

func (t tourist) run(ctx context.Context, each try) error {
	if each.letter != "" {
		text, err := t.letter(ctx, each.letter)
		if err != nil {
			return err
		}
		fmt.Fprintf(t.out, "\n   the mail of %s\n", each.letter)
		return t.compare(each, "the letter", text, 0)
	}
	args := make([]string, len(each.args))
	for i, arg := range each.args {
		args[i] = t.filled(arg)
	}
	if each.as != "" {
		args = append([]string{"--with", each.as}, args...)
	}
	command := exec.CommandContext(ctx, t.program, args...)
	command.Env = append(os.Environ(), "XDG_CONFIG_HOME="+filepath.Join(t.directory, "config"))
	command.Stdin = strings.NewReader(t.filled(each.input))
	var came bytes.Buffer
	command.Stdout, command.Stderr = &came, &came
	err := command.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		return err
	}
	fmt.Fprintf(t.out, "\n   $ arbora %s\n", shell(args))
	return t.compare(each, "arbora "+shell(args), came.String(), command.ProcessState.ExitCode())
}

// compare tells what came back and holds it against what was expected.
func (t tourist) compare(each try, what, came string, status int) error {
	fmt.Fprintf(t.out, "     expected:  %s\n", each.words)
	for i, line := range strings.Split(strings.TrimRight(came, "\n"), "\n") {
		lead := "                "
		if i == 0 {
			lead = "     came back: "
		}
		fmt.Fprintln(t.out, lead+line)
	}
	if status != each.status {
		return fmt.Errorf("%s ended with status %d, expected %d", what, status, each.status)
	}
	for _, text := range each.says {
		if !strings.Contains(came, text) {
			return fmt.Errorf("%s does not say %q", what, text)
		}
	}
	for _, text := range each.lacks {
		if strings.Contains(came, text) {
			return fmt.Errorf("%s says %q, which must not be seen", what, text)
		}
	}
	for name, pattern := range each.keep {
		found := regexp.MustCompile(pattern).FindStringSubmatch(came)
		if found == nil {
			return fmt.Errorf("%s does not say the %s", what, name)
		}
		t.kept[name] = found[1]
	}
	return nil
}

// shell writes arguments as they would be typed.
func shell(args []string) string {
	typed := make([]string, len(args))
	for i, arg := range args {
		typed[i] = arg
		if strings.ContainsAny(arg, " ;&") {
			typed[i] = "'" + arg + "'"
		}
	}
	return strings.Join(typed, " ")
}

const (
	vault       = "lindenmere/science/seedbank/seedbank-vault"
	trial       = "lindenmere/science/seedbank/seedbank-trial"
	herbarium   = "lindenmere/science/herbarium"
	digitising  = herbarium + "/digitising"
	glasshouses = "lindenmere/gardens/glasshouses"
	alpine      = glasshouses + "/alpine-house"
	palm        = glasshouses + "/palm-house"
	fern        = glasshouses + "/fern-house"
	sensorLog   = alpine + "/sensor-log.bucket"
	guideMedia  = "lindenmere/visitors/trail-guide/guide-media.bucket"
)

func words(text string) []string { return strings.Fields(text) }

// story gives the steps that the command line can walk so far.
func story(address string) []step {
	const bramsFirst, bramsOwn = "left-on-the-potting-bench", "nine-quiet-greenhouse-mice"
	return []step{
		{1, "rowan signs in and reads the tree before touching anything", []try{
			{args: words("sign-in rowan@lindenmere --save-as rowan --password-from - --server " + address), input: Passphrase + "\n",
				says: []string{"Signed in as rowan@lindenmere"}, words: "signed in, and the sign-in saved"},
			{as: "rowan", args: words("tree"), says: []string{"lindenmere", "alpine-house", "scans.bucket", "core.network"},
				words: "the whole tree, resources included"},
			{as: "rowan", args: words("grant list lindenmere"), says: []string{"user rowan", "user maeve", "group internal-audit", "(privileged)"},
				words: "who holds what at the top: two stewards and the auditors"},
		}},
		{2, "lays out a new folder, project and compartment; resources are kept out of the top", []try{
			{as: "rowan", args: []string{"scope", "create", "lindenmere/gardens/grounds", "--kind", "folder", "--title", "Grounds"},
				says: []string{"Created folder"}, words: "a folder"},
			{as: "rowan", args: []string{"scope", "create", "lindenmere/gardens/grounds/irrigation", "--kind", "project", "--title", "Irrigation"},
				says: []string{"Created project"}, words: "a project in it"},
			{as: "rowan", args: []string{"scope", "create", "lindenmere/science/herbarium/loans", "--kind", "compartment", "--title", "Loans"},
				says: []string{"Created compartment"}, words: "a compartment in a project"},
			{as: "rowan", args: words("scope create lindenmere/leaflets.bucket"), status: failed,
				says: []string{"a bucket cannot sit in an organisation", "it belongs in a project or a compartment"}, words: "refused: a bucket does not belong in an organisation"},
			{as: "rowan", args: words("scope create lindenmere/gardens/grounds/nursery --kind compartment"), status: failed,
				says: []string{"a compartment cannot sit in a folder"}, words: "refused: a compartment does not belong in a folder"},
		}},
		{3, "creates bram with a temporary password; bram must choose his own, and sees nothing", []try{
			{as: "rowan", args: []string{"user", "create", "bram", "--title", "Bram de Wolff", "--temporary", "--password-from", "-"}, input: bramsFirst + "\n",
				says: []string{"Created user bram", "bram@lindenmere"}, words: "created; he holds nothing yet"},
			{args: words("sign-in bram@lindenmere --save-as bram --password-from - --server " + address), input: bramsFirst + "\n",
				says: []string{"temporary"}, words: "signed in, and told to choose a password first"},
			{as: "bram", args: words("tree"), status: failed, says: []string{"your password is temporary"}, words: "refused until he has chosen"},
			{as: "bram", args: words("password --current-from - --new-from -"), input: bramsFirst + "\nbram\n", status: failed,
				says: []string{"use at least 15"}, words: "refused: too short"},
			{as: "bram", args: words("password --current-from - --new-from -"), input: bramsFirst + "\n" + bramsOwn + "\n",
				says: []string{"Your password is changed"}, words: "his own password"},
			{as: "bram", args: words("tree"), status: failed, says: []string{"you hold nothing in lindenmere yet"}, lacks: []string{"gardens"},
				words: "nothing: all is denied by default"},
			{as: "bram", args: words("scope show " + alpine), status: failed, says: []string{"there is no scope"},
				words: "the same answer as for a scope that is not there"},
			{as: "bram", args: words("user list"), status: failed, says: []string{`takes the permission "list user"`}, words: "refused"},
			{as: "rowan", args: words("check describe project --user bram --at " + alpine), status: no, says: []string{"No, bram may not"},
				words: "no, and why"},
		}},
		{4, "bram joins a group; the group is granted observer at one project", []try{
			{as: "rowan", args: words("group add glasshouse-engineers --user bram"), says: []string{"is now in glasshouse-engineers"}, words: "bram is in the group"},
			{as: "bram", args: words("tree"), status: failed, says: []string{"you hold nothing"}, words: "still nothing, for the group holds nothing"},
			{as: "rowan", args: words("grant create observer --group glasshouse-engineers --at " + alpine), says: []string{"Granted observer"}, words: "granted"},
			{as: "bram", args: words("tree"), says: []string{"alpine-house", "sensor-log.bucket"}, lacks: []string{"palm-house", "science"},
				words: "that project and the way to it only, at once"},
			{as: "bram", args: words("check edit project --at " + alpine), status: no, says: []string{"observer from " + alpine + " does not hold it"},
				words: "no: he can change nothing"},
			{as: "bram", args: words("scope create " + alpine + "/notes.bucket"), status: failed, says: []string{`takes the permission "create bucket"`},
				words: "refused, with the permission that is missing"},
		}},
		{5, "that grant is removed and builder is granted at the folder above", []try{
			{as: "rowan", args: words("grant revoke observer --group glasshouse-engineers --at " + alpine), says: []string{"Revoked observer"}, words: "revoked"},
			{as: "bram", args: words("tree"), status: failed, says: []string{"you hold nothing"}, words: "nothing again, at once"},
			{as: "rowan", args: words("grant create builder --group glasshouse-engineers --at " + glasshouses), says: []string{"Granted builder"}, words: "granted above"},
			{as: "bram", args: words("tree"), says: []string{"alpine-house", "palm-house", "mist-controller.machine"}, lacks: []string{"science"},
				words: "all projects of the folder open up"},
			{as: "rowan", args: words("grant list " + palm), says: []string{"group glasshouse-engineers", glasshouses},
				words: "builder, inherited, with where it comes from"},
		}},
		{6, "a project made afterwards, and a resource in it, are covered without any further grant", []try{
			{as: "rowan", args: []string{"scope", "create", fern, "--kind", "project", "--title", "Fern house"}, says: []string{"Created project"}, words: "a new project"},
			{as: "bram", args: words("scope create " + fern + "/misting-plan.bucket"), says: []string{"Created bucket"}, words: "bram makes a resource in it"},
			{as: "bram", args: words("check edit bucket --at " + fern + "/misting-plan.bucket"),
				says: []string{"Yes, bram may edit bucket", "glasshouse-engineers", "inherits it"}, words: "yes, inherited from the folder"},
		}},
		{7, "seed-curators build freely in the trial and hold three narrow roles in the vault; ines grants in the trial herself", []try{
			{as: "rowan", args: words("grant create builder --group seed-curators --at " + trial), says: []string{"Granted builder"}, words: "they build in the trial"},
			{as: "rowan", args: words("grant create storage-observer --group seed-curators --at " + vault), says: []string{"Granted storage-observer"}, words: "they see the vault's buckets"},
			{as: "rowan", args: words("grant create databases-observer --group seed-curators --at " + vault), says: []string{"Granted databases-observer"}, words: "and its databases"},
			{as: "rowan", args: words("grant create content-reader --group seed-curators --at " + vault + "/vault-scans.bucket"), says: []string{"Granted content-reader"},
				words: "and read the scans"},
			{as: "rowan", args: words("grant create steward --user ines --at " + trial), says: []string{"Granted steward", "privileged"}, words: "ines is steward of the trial, and that it governs is said"},
			{args: words("sign-in ines@lindenmere --save-as ines --password-from - --server " + address), input: Passphrase + "\n",
				says: []string{"Signed in as ines@lindenmere"}, words: "ines signs in"},
			{as: "ines", args: words("scope create " + trial + "/tray-log.bucket"), says: []string{"Created bucket"}, words: "she makes a resource in the trial"},
			{as: "ines", args: words("grant create observer --group herbarium-digitisers --at " + trial), says: []string{"Granted observer"}, words: "and grants there herself"},
			{as: "ines", args: words("check describe bucket --at " + vault + "/vault-scans.bucket"), says: []string{"Yes, ines may"}, words: "in the vault she sees what is there"},
			{as: "ines", args: words("check retire bucket --at " + vault + "/vault-scans.bucket"), status: no, says: []string{"No, ines may not"}, words: "and changes nothing"},
			{as: "ines", args: words("grant create observer --group herbarium-digitisers --at " + vault), status: failed,
				says: []string{`takes the permission "create grant"`}, words: "refused when she tries the same in the vault"},
		}},
		{8, "network-team gets a statement for the networks of one compartment; labs may use the network only once it is let", []try{
			{as: "rowan", args: []string{"policy", "create", "networks", "--at", herbarium, "--text", "under digitising:\n    network-taem may observe, operate, modify networking"}, status: failed,
				says: []string{`line 2, column 5: there is no group "network-taem": did you mean network-team?`}, words: "a slip of the pen is found, with its place and what was meant"},
			{as: "rowan", args: []string{"policy", "create", "networks", "--at", herbarium, "--preview", "--text", "under digitising:\n    network-team may observe, operate, modify networking"},
				says: []string{"1 person would gain access", "yuki"}, words: "who would gain what, before it is written"},
			{as: "rowan", args: []string{"policy", "create", "networks", "--at", herbarium, "--text", "under digitising: network-team may observe,operate , modify networking"},
				says: []string{"under digitising:\n    network-team may observe, operate, modify networking"}, words: "written, in its one form"},
			{args: words("sign-in yuki@lindenmere --save-as yuki --password-from - --server " + address), input: Passphrase + "\n",
				says: []string{"Signed in as yuki@lindenmere"}, words: "yuki of the network team signs in"},
			{as: "yuki", args: words("scope create " + digitising + "/scanner-lan.network"), says: []string{"Created network"}, words: "networks there open"},
			{as: "yuki", args: words("scope create " + digitising + "/notes.bucket"), status: failed, says: []string{`takes the permission "create bucket"`}, words: "all else stays shut"},
			{as: "yuki", args: words("scope create " + herbarium + "/loans/loans-lan.network"), status: failed, says: []string{"there is no scope"}, words: "other compartments too"},
			{as: "rowan", args: words("check attach network --service labs --at " + digitising + "/digitising-lan.network"), status: no,
				says: []string{"No, service labs may not attach network"}, words: "the labs service may not use the network yet"},
			{as: "rowan", args: []string{"policy", "edit", "networks", "--at", herbarium, "--text", "under digitising:\n    network-team may observe, operate, modify networking\n    service labs may observe, attach network"},
				says: []string{"Rewrote policy networks"}, words: "a statement lets it"},
			{as: "rowan", args: words("check attach network --service labs --at " + digitising + "/digitising-lan.network"),
				says: []string{"Yes, service labs may attach network", "in policy networks"}, words: "now it may, and the statement is named"},
			{as: "rowan", args: words("policy search labs network"), says: []string{"service labs may observe, attach network", digitising}, words: "the statement is found by its words, with where it applies"},
		}},
		{9, "builder above and observer on one bucket below: still builder; then only observer is left", []try{
			{as: "rowan", args: words("grant create observer --user bram --at " + sensorLog), says: []string{"Granted observer"}, words: "granted on the bucket itself"},
			{as: "bram", args: words("check edit bucket --at " + sensorLog), says: []string{"Yes, bram may"}, words: "yes: a narrower grant below takes nothing away"},
			{as: "rowan", args: words("grant revoke builder --group glasshouse-engineers --at " + glasshouses), says: []string{"Revoked builder"}, words: "builder alone is revoked"},
			{as: "bram", args: words("check edit bucket --at " + sensorLog), status: no, says: []string{"No, bram may not"}, words: "no"},
			{as: "bram", args: words("check describe bucket --at " + sensorLog), says: []string{"Yes, bram may", "right there"}, words: "yes: observer on the bucket is what is left"},
			{as: "bram", args: words("tree"), says: []string{"sensor-log.bucket"}, lacks: []string{"palm-house", "vent-controller"},
				words: "the bucket and the way to it, though nothing above opens any more"},
			{as: "rowan", args: words("check describe project --user bram --at " + palm), status: no,
				says:  []string{"What would turn it", "grant observer to bram at " + palm},
				words: "no, and which single changes would turn it"},
		}},
		{11, "trail-guide moves from visitors to science: the impact says who loses and who gains before it is confirmed", []try{
			{as: "rowan", args: words("grant create builder --group visitor-apps --at lindenmere/visitors"), says: []string{"Granted builder"}, words: "sefa's group builds for the visitors"},
			{as: "rowan", args: words("grant create observer --group curators --at lindenmere/science"), says: []string{"Granted observer"}, words: "the curators look at all of science"},
			{as: "rowan", args: words("scope move lindenmere/visitors/trail-guide --to lindenmere/science --preview"), says: []string{"would gain or lose access", "sefa", "ines, piotr", "moves with 2 scopes beneath it", "--confirm"},
				words: "who loses, who gains, and what goes along", keep: map[string]string{"code": `--confirm (\S+)`}},
			{as: "ines", args: words("scope move lindenmere/visitors/trail-guide --to lindenmere/science"), status: failed, says: []string{"there is no scope"}, words: "refused to whom it is not shown"},
			{as: "rowan", args: words("scope move lindenmere/science --to lindenmere/science/seedbank"), status: failed, says: []string{"that is in it"}, words: "nothing moves into what is in it"},
			{as: "rowan", args: words("--confirm {code} scope move lindenmere/visitors/trail-guide --to lindenmere/science"), says: []string{"is moved"}, words: "confirmed and moved"},
			{as: "ines", args: words("tree lindenmere/science"), says: []string{"trail-guide", "guide-media.bucket"}, words: "who looks at science sees it at once"},
			{as: "rowan", args: words("check edit project --user sefa --at lindenmere/science/trail-guide"), status: no, words: "and sefa builds there no more"},
			{as: "rowan", args: words("scope move lindenmere/science/trail-guide --to lindenmere/visitors"), says: []string{"is moved"}, words: "back again, for what follows"},
		}},
		{12, "label-indexer gets two roles and an API key whose secret is shown once; the CLI uses it by a saved sign-in", []try{
			{as: "rowan", args: []string{"service-account", "create", digitising + "/label-indexer", "--title", "Label indexer"}, says: []string{"Created service account"}, words: "a service account that lives in the compartment"},
			{as: "rowan", args: words("grant create content-reader --service-account " + digitising + "/label-indexer --at " + digitising + "/scans.bucket"), says: []string{"Granted content-reader"}, words: "it reads the scans"},
			{as: "rowan", args: words("grant create observer --service-account " + digitising + "/label-indexer --at " + digitising), says: []string{"Granted observer"}, words: "and sees what is there"},
			{as: "rowan", args: words("key create --service-account " + digitising + "/label-indexer --label nightly"), says: []string{"shown this once"}, words: "a key; its secret is shown this once",
				keep: map[string]string{"key": `API key (\S+)`, "secret": `once: (\S+)`}},
			{as: "rowan", args: words("key list --service-account " + digitising + "/label-indexer"), says: []string{"nightly", "never"}, words: "the key is listed, without its secret"},
			{args: words("sign-in --key {key} --secret-from - --save-as indexer --server " + address), input: "{secret}\n", says: []string{"Signed in as " + digitising + "/label-indexer"}, words: "the CLI signs in by it, under a saved name"},
			{as: "indexer", args: words("whoami"), says: []string{"service-account"}, words: "it acts as the service account"},
			{as: "indexer", args: words("check fetch object --at " + digitising + "/scans.bucket"), says: []string{"Yes"}, words: "which may fetch scans"},
			{as: "indexer", args: words("check erase object --at " + digitising + "/scans.bucket"), status: no, says: []string{"No"}, words: "and not erase them"},
			{args: words("sign-in --key {key} --secret-from - --save-as indexer --server " + address), input: "not-the-secret\n", status: foreign, says: []string{"its secret is another"}, words: "a wrong secret has a message and a status of its own"},
			{as: "rowan", args: words("key withdraw {key}"), says: []string{"works no more"}, words: "the key is taken back"},
			{as: "indexer", args: words("tree"), status: revoked, says: []string{"taken back"}, words: "and opens nothing any more, at once"},
		}},
		{13, "guide-media.bucket is opened to the public, with a warning first", []try{
			{as: "rowan", args: words("grant create content-reader --set public --at " + guideMedia), status: failed, says: []string{"takes a confirmation"}, words: "not without a look at what it does"},
			{as: "rowan", args: words("grant create content-reader --set public --at " + guideMedia + " --preview"), says: []string{"people whom the organisation does not know", "--confirm"}, words: "the warning, and how to confirm",
				keep: map[string]string{"code": `--confirm (\S+)`}},
			{as: "rowan", args: words("--confirm {code} grant create content-reader --set public --at " + guideMedia), says: []string{"Granted content-reader"}, words: "opened"},
			{as: "rowan", args: words("holders fetch object --at " + guideMedia), says: []string{"public"}, words: "and it shows who may fetch"},
		}},
		{14, "juno is invited, is pending until she accepts, gets access that ends by itself, and holds none after she is retired", []try{
			{as: "rowan", args: []string{"guest", "invite", "juno@quaywater.example", "--title", "Juno Marchetti", "--group", "contractors", "--grant", "observer at " + vault + " until 2099-01-01"},
				says: []string{"Invited juno@quaywater.example", "pending", "Mailed to"}, words: "invited by mail, with access prepared that ends by itself"},
			{as: "rowan", args: words("guest list"), says: []string{"! pending: holds nothing yet"}, words: "she is pending"},
			{as: "rowan", args: words("grant list " + vault), says: []string{"juno@quaywater.example", "! pending"}, words: "which shows beside her access too"},
			{as: "rowan", args: words("check describe project --guest juno@quaywater.example --at " + vault), status: no, words: "and holds nothing"},
			{letter: "juno@quaywater.example", says: []string{"invites you to work with Lindenmere Botanic Trust", "works once"}, lacks: []string{"assword"}, words: "a letter with a link, and no password",
				keep: map[string]string{"link": `(http\S+/#/link/\S+)`}},
			{args: words("sign-in juno@quaywater --save-as juno --password-from - --server " + address), input: Passphrase + "\n", says: []string{"Signed in as juno@quaywater"}, words: "juno signs in at home"},
			{as: "juno", args: words("accept {link} --signed-in"), says: []string{"You are a guest of Lindenmere Botanic Trust"}, words: "and accepts"},
			{as: "juno", args: words("accept {link} --signed-in"), status: revoked, says: []string{"works no more"}, words: "the link works once"},
			{as: "juno", args: words("switch"), says: []string{"quaywater", "lindenmere", "guest", "here"}, words: "two organisations know her"},
			{as: "juno", args: words("switch lindenmere"), says: []string{"You work in lindenmere now"}, words: "she works in the other"},
			{as: "juno", args: words("tree"), says: []string{"seedbank-vault"}, lacks: []string{"glasshouses"}, words: "and sees what was prepared for her"},
			{as: "rowan", args: words("guest retire juno@quaywater"), says: []string{"Guest juno@quaywater is retired"}, words: "she is retired"},
			{as: "juno", args: words("tree"), status: revoked, says: []string{"your session was ended"}, words: "out, at once"},
			{as: "rowan", args: words("check describe project --guest juno@quaywater --at " + vault), status: no, words: "and holds nothing"},
		}},
		{15, "the auditor asks who holds erase object in the vault, and why", []try{
			{as: "rowan", args: words("grant create content-keeper --group vault-keepers --at " + vault), says: []string{"Granted content-keeper"},
				words: "the vault keepers hold it"},
			{args: words("sign-in oona@lindenmere --save-as oona --password-from - --server " + address), input: Passphrase + "\n",
				says: []string{"Signed in as oona@lindenmere"}, words: "the auditor signs in"},
			{as: "oona", args: words("holders erase object --at " + vault),
				says:  []string{"1 may erase object", "maeve", "content-keeper, through group vault-keepers", "Could give it to themselves", "rowan", "may grant content-keeper there"},
				words: "maeve holds it, and why; rowan, apart, could give it to himself"},
			{as: "oona", args: words("reach --group vault-keepers"), says: []string{vault, "content-keeper for group vault-keepers"},
				words: "everything the group can do, and where"},
			{as: "oona", args: words("grant create observer --user oona --at " + vault), status: failed, says: []string{`takes the permission "create grant"`},
				words: "an auditor sees all and changes nothing"},
		}},
	}
}
