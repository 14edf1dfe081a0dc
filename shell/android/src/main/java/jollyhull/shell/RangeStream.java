package jollyhull.shell;

import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;

/** A stretch of another stream: the bytes before it are skipped at the first read. */
final class RangeStream extends FilterInputStream {
    private long toSkip;
    private long left;

    RangeStream(InputStream in, ByteRange range) {
        super(in);
        toSkip = range.first;
        left = range.length();
    }

    private void skipAhead() throws IOException {
        while (toSkip > 0) {
            long skipped = in.skip(toSkip);
            if (skipped <= 0) {
                if (in.read() < 0) {
                    left = 0;
                    return;
                }
                skipped = 1;
            }
            toSkip -= skipped;
        }
    }

    @Override
    public int read() throws IOException {
        skipAhead();
        if (left <= 0) {
            return -1;
        }
        int value = in.read();
        left = value < 0 ? 0 : left - 1;
        return value;
    }

    @Override
    public int read(byte[] buffer, int offset, int count) throws IOException {
        skipAhead();
        if (left <= 0) {
            return -1;
        }
        int done = in.read(buffer, offset, (int) Math.min(count, left));
        left = done < 0 ? 0 : left - done;
        return done;
    }

    @Override
    public int available() throws IOException {
        return toSkip > 0 ? 0 : (int) Math.min(in.available(), left);
    }

    @Override
    public boolean markSupported() {
        return false;
    }
}
