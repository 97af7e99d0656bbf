package fetch

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
)

// maxMemory is how much memory unpacking may take.
const maxMemory = 8 << 20

// read reads a body of at most this many bytes, unpacked; more reports whether
// it is longer.
func read(response *http.Response, most int) (body []byte, more bool, err error) {
	packed := io.LimitReader(response.Body, int64(most)+1) // packing makes nothing longer
	var plain io.Reader
	switch coding := strings.ToLower(response.Header.Get("Content-Encoding")); coding {
	case "", "identity":
		plain = packed
	case "gzip", "x-gzip":
		if plain, err = gzip.NewReader(packed); errors.Is(err, io.EOF) {
			return nil, false, nil // an empty body, as answers to HEAD have
		}
	case "br":
		plain = brotli.NewReader(packed)
	case "zstd":
		var d *zstd.Decoder
		if d, err = zstd.NewReader(packed, zstd.WithDecoderConcurrency(1),
			zstd.WithDecoderMaxMemory(maxMemory)); err == nil {
			defer d.Close()
			plain = d
		}
	default:
		return nil, false, fmt.Errorf("packed as %q, which wasn't asked for", coding)
	}
	if err != nil {
		return nil, false, fmt.Errorf("unpacking: %w", err)
	}
	var whole bytes.Buffer
	whole.Grow(max(0, min(int(response.ContentLength), most)) + bytes.MinRead)
	_, err = whole.ReadFrom(io.LimitReader(plain, int64(most)+1))
	if body = whole.Bytes(); len(body) > most {
		return body[:most], true, nil
	}
	return body, false, err
}
