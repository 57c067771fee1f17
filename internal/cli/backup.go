package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"

	"github.com/urfave/cli/v3"
)

func (p Program) backupCommand() *cli.Command {
	return &cli.Command{
		Name: "backup", Usage: "copy all that the environment needs to a file, while it runs", ArgsUsage: "FILE", OnUsageError: usageError,
		UsageText: "rapidmimic backup monday.zip",
		Description: "The database, the key of secret variables and recordings, and the authority. The file is as\n" +
			"secret as the data folder, and for you alone. `rapidmimic restore` takes it.",
		Action: p.backup,
	}
}

func (p Program) restoreCommand() *cli.Command {
	return &cli.Command{
		Name: "restore", Usage: "put a backup into the data folder of a service that is stopped", ArgsUsage: "FILE", OnUsageError: usageError,
		UsageText: "rapidmimic restore monday.zip --data /srv/rapidmimic",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "data", Usage: "`FOLDER` to put it into", Required: true},
			&cli.BoolFlag{Name: "over", Usage: "put it in the place of what is there, which is kept beside it"},
		},
		Action: p.restore,
	}
}

func (p Program) backup(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a FILE")
	if err != nil {
		return err
	}
	file := given[0]
	if _, err := os.Stat(file); err == nil {
		return fmt.Errorf("%s exists already (choose another name)", file)
	}
	made := file + ".part"
	out, err := os.OpenFile(made, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return fmt.Errorf("write %s: %w", file, err)
	}
	done := p.working("copying the environment")
	err = environment.Backup(ctx, out)
	done()
	if err = errors.Join(err, out.Sync(), out.Close()); err == nil {
		err = os.Rename(made, file)
	}
	if err != nil {
		return errors.Join(err, ignoreMissing(os.Remove(made)))
	}
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	p.say("%s  %.1f MB; as secret as the data folder", file, float64(info.Size())/1e6)
	p.say("restore   rapidmimic restore %s --data FOLDER", file)
	return nil
}

func ignoreMissing(err error) error {
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

func (p Program) restore(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a FILE")
	if err != nil {
		return err
	}
	data := c.String("data")
	if err := p.Restore(ctx, given[0], data, c.Bool("over"), p.logger(c, &slog.LevelVar{})); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  restored from %s", data, given[0])
	p.say("start     rapidmimic serve --data %s", data)
	return nil
}
