package testbed

import (
	"io"
	"net"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"
)

// Slow gives a DSN by which a database answers late: each answer is held back as long as the second result was told last.
func Slow(t testing.TB, dsn string) (slow string, late func(time.Duration)) {
	config, err := mysql.ParseDSN(dsn)
	require.NoError(t, err)
	network, address := config.Net, config.Addr
	config.Net, config.Addr = "unix", filepath.Join(t.TempDir(), "slow.socket")
	listener, err := net.Listen("unix", config.Addr)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, listener.Close()) })
	var wait atomic.Int64
	go func() {
		for {
			asking, err := listener.Accept()
			if err != nil {
				return
			}
			answering, err := net.Dial(network, address)
			if err != nil {
				asking.Close()
				continue
			}
			go func() {
				defer answering.Close()
				io.Copy(answering, asking)
			}()
			go func() {
				defer asking.Close()
				buffer := make([]byte, 64<<10)
				for {
					n, err := answering.Read(buffer)
					time.Sleep(time.Duration(wait.Load())) // this is what the connection is for
					if _, failed := asking.Write(buffer[:n]); err != nil || failed != nil {
						return
					}
				}
			}()
		}
	}()
	return config.FormatDSN(), func(by time.Duration) { wait.Store(int64(by)) }
}
