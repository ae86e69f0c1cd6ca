package loam

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"arbora.example/internal/standin/loam/loamapi"
)

// mostLines bounds a program, mostOutput what one of its lines tells, in bytes.
const (
	mostLines  = 100
	mostOutput = 4000
)

// run runs a program as a subject, line by line; a line that is refused stops nothing. The lines are: list BUCKET; fetch
// BUCKET/OBJECT; put BUCKET/OBJECT TEXT; erase BUCKET/OBJECT; query DATABASE PREFIX; amend DATABASE KEY VALUE.
func (c *call) run(ctx context.Context, as Subject, program []string) (loamapi.Ran, error) {
	ran := loamapi.Ran{As: as.words(), Steps: []loamapi.Step{}}
	if len(program) == 0 || len(program) > mostLines {
		return ran, invalid("program", fmt.Sprintf("the program has %d lines", len(program)), fmt.Sprintf("write 1 to %d, such as: fetch ADDRESS.bucket/NAME", mostLines))
	}
	worker := c.by(as)
	for _, line := range program {
		step := loamapi.Step{Line: line}
		output, err := worker.runLine(ctx, line)
		var refused *Problem
		if errors.As(err, &refused) && !isUnavailable(err) {
			step.Refused = refused.Detail
		} else if err != nil {
			return ran, err
		}
		if step.Output = output; len(output) > mostOutput {
			step.Output = strings.ToValidUTF8(output[:mostOutput], "") + "…"
		}
		ran.Steps = append(ran.Steps, step)
	}
	return ran, nil
}

func (c *call) runLine(ctx context.Context, line string) (string, error) {
	verb, rest, _ := strings.Cut(strings.TrimSpace(line), " ")
	at, rest, _ := strings.Cut(strings.TrimSpace(rest), " ")
	switch verb {
	case "list":
		objects, err := c.listObjects(ctx, at, "", maxPage)
		names := make([]string, len(objects))
		for i, o := range objects {
			names[i] = o.Name
		}
		return strings.Join(names, "\n"), err
	case "fetch":
		_, body, err := c.fetchObject(ctx, at)
		return strings.ToValidUTF8(string(body), "·"), err
	case "put":
		_, err := c.putObject(ctx, at, "text/plain; charset=utf-8", []byte(rest))
		return "", err
	case "erase":
		return "", c.eraseObject(ctx, at)
	case "query":
		r, _, err := c.use(ctx, "query", "database", at)
		if err != nil {
			return "", err
		}
		entries, err := c.entries(ctx, r, rest)
		var lines []string
		for _, e := range entries {
			lines = append(lines, e.Name+" = "+e.Value)
		}
		return strings.Join(lines, "\n"), err
	case "amend":
		r, _, err := c.use(ctx, "amend", "database", at)
		if err != nil {
			return "", err
		}
		key, value, _ := strings.Cut(rest, " ")
		return "", c.amend(ctx, r, loamapi.Entry{Name: key, Value: value})
	}
	return "", invalid("program", fmt.Sprintf("a program cannot do %q", verb), "it can list, fetch, put, erase, query and amend")
}
