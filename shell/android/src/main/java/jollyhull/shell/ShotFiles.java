package jollyhull.shell;

import android.content.ContentProvider;
import android.content.ContentValues;
import android.content.Context;
import android.database.Cursor;
import android.database.MatrixCursor;
import android.net.Uri;
import android.os.ParcelFileDescriptor;
import android.provider.OpenableColumns;
import android.webkit.MimeTypeMap;

import java.io.File;
import java.io.FileNotFoundException;
import java.io.IOException;
import java.util.List;
import java.util.UUID;

/**
 * Files that the camera writes for a page, and that a page shares: in the cache, in folders and
 * under names that nobody else can guess, one grant at a time. And the start picture, which the
 * browser reads.
 */
public final class ShotFiles extends ContentProvider {
    private static final String FOLDER = "shots";

    /** The folder of one file that a page shares. */
    private static final String SHARED = "[0-9a-f-]{36}";

    private static final String SPLASH = "splash.png";
    private static final long KEPT_MS = 24 * 60 * 60 * 1000L;
    private static final String NAME = "[0-9a-f-]{36}\\.(jpg|mp4)|splash\\.png";

    private static File folder(Context context) {
        File folder = new File(context.getCacheDir(), FOLDER);
        folder.mkdirs();
        return folder;
    }

    static File create(Context context, String extension) {
        return new File(folder(context), UUID.randomUUID() + "." + extension);
    }

    /**
     * Pictures that a page has had for a day are of no use any more: it has read them, or never
     * will.
     */
    static void removeOld(final Context context) {
        Background.run(
                new Runnable() {
                    @Override
                    public void run() {
                        File[] files = folder(context).listFiles();
                        long before = System.currentTimeMillis() - KEPT_MS;
                        for (File file : files == null ? new File[0] : files) {
                            if (!file.getName().equals(SPLASH) && file.lastModified() < before) {
                                FreshPages.delete(file);
                            }
                        }
                    }
                });
    }

    /**
     * Takes over a file that a page shares, under its own name as far as that is one.
     *
     * @throws IOException where the cache cannot be written
     */
    static Uri share(Context context, File whole, String name) throws IOException {
        File own = new File(folder(context), UUID.randomUUID().toString());
        String plain = name.replaceAll("[^\\p{L}\\p{N} ._()-]+", "_").replaceAll("^[. ]+", "");
        File file = new File(own, plain.isEmpty() ? "file" : plain);
        if (!own.mkdirs() || !whole.renameTo(file)) {
            throw new IOException("Cache not writable");
        }
        return Uri.parse("content://" + context.getPackageName() + ".shots")
                .buildUpon()
                .appendPath(own.getName())
                .appendPath(file.getName())
                .build();
    }

    static File splash(Context context) {
        return new File(folder(context), SPLASH);
    }

    static Uri uriOf(Context context, File file) {
        return Uri.parse("content://" + context.getPackageName() + ".shots/" + file.getName());
    }

    private File fileOf(Uri uri) throws FileNotFoundException {
        List<String> steps = uri.getPathSegments();
        File folder = new File(getContext().getCacheDir(), FOLDER);
        if (steps.size() == 1 && steps.get(0).matches(NAME)) {
            return new File(folder, steps.get(0));
        }
        boolean isShared =
                steps.size() == 2
                        && steps.get(0).matches(SHARED)
                        && !steps.get(1).startsWith(".")
                        && !steps.get(1).contains("/");
        if (!isShared) {
            throw new FileNotFoundException(String.valueOf(uri));
        }
        return new File(new File(folder, steps.get(0)), steps.get(1));
    }

    @Override
    public ParcelFileDescriptor openFile(Uri uri, String mode) throws FileNotFoundException {
        return ParcelFileDescriptor.open(fileOf(uri), ParcelFileDescriptor.parseMode(mode));
    }

    @Override
    public String getType(Uri uri) {
        String name = String.valueOf(uri.getLastPathSegment());
        String type = MimeTypeMap.getSingleton().getMimeTypeFromExtension(Answer.extension(name));
        return name.endsWith(".mp4")
                ? "video/mp4"
                : name.endsWith(".png")
                        ? "image/png"
                        : name.endsWith(".jpg")
                                ? "image/jpeg"
                                : type == null ? "application/octet-stream" : type;
    }

    @Override
    public Cursor query(
            Uri uri, String[] columns, String selection, String[] values, String order) {
        try {
            File file = fileOf(uri);
            MatrixCursor cursor =
                    new MatrixCursor(
                            new String[] {OpenableColumns.DISPLAY_NAME, OpenableColumns.SIZE});
            cursor.addRow(new Object[] {file.getName(), file.length()});
            return cursor;
        } catch (FileNotFoundException e) {
            return null;
        }
    }

    @Override
    public boolean onCreate() {
        return true;
    }

    @Override
    public Uri insert(Uri uri, ContentValues values) {
        return null;
    }

    @Override
    public int delete(Uri uri, String selection, String[] values) {
        return 0;
    }

    @Override
    public int update(Uri uri, ContentValues values, String selection, String[] arguments) {
        return 0;
    }
}
