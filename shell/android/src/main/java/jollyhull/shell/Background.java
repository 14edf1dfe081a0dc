package jollyhull.shell;

import java.util.concurrent.Executor;
import java.util.concurrent.Executors;

/**
 * Work that would hold up the main thread: files, and what other apps' providers give. One piece
 * after another.
 */
final class Background {
    /** Tests run it at once. */
    static volatile Executor executor = Executors.newSingleThreadExecutor();

    private Background() {}

    static void run(Runnable work) {
        executor.execute(work);
    }
}
