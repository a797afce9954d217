package work

import (
	"context"
	"log/slog"
)

// quieter is a log that leaves out what the queue tells of itself, but for warnings.
func quieter(log *slog.Logger) *slog.Logger { return slog.New(warnings{log.Handler()}) }

type warnings struct{ slog.Handler }

func (w warnings) Enabled(ctx context.Context, level slog.Level) bool {
	return level >= slog.LevelWarn && w.Handler.Enabled(ctx, level)
}

func (w warnings) WithAttrs(attrs []slog.Attr) slog.Handler {
	return warnings{w.Handler.WithAttrs(attrs)}
}

func (w warnings) WithGroup(name string) slog.Handler { return warnings{w.Handler.WithGroup(name)} }
