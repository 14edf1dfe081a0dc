package jollyhull.shell;

import android.content.ContentProvider;
import android.content.ContentValues;
import android.content.Context;
import android.database.Cursor;
import android.database.MatrixCursor;
import android.net.Uri;
import android.os.ParcelFileDescriptor;
import android.provider.OpenableColumns;
import java.io.File;
import java.io.FileNotFoundException;
import java.util.UUID;

/**
 * Files that the camera writes for a page: in the cache, under names that nobody else can guess, one grant at a time. And
 * the start picture, which the browser reads.
 */
public final class ShotFiles extends ContentProvider {
    private static final String FOLDER = "shots";
    private static final String NAME = "[0-9a-f-]{36}\\.(jpg|mp4)|splash\\.png";

    private static File folder(Context context) {
        File folder = new File(context.getCacheDir(), FOLDER);
        folder.mkdirs();
        return folder;
    }

    static File create(Context context, String extension) {
        return new File(folder(context), UUID.randomUUID() + "." + extension);
    }

    static File splash(Context context) {
        return new File(folder(context), "splash.png");
    }

    static Uri uriOf(Context context, File file) {
        return Uri.parse("content://" + context.getPackageName() + ".shots/" + file.getName());
    }

    private File fileOf(Uri uri) throws FileNotFoundException {
        String name = uri.getLastPathSegment();
        if (uri.getPathSegments().size() != 1 || name == null || !name.matches(NAME)) {
            throw new FileNotFoundException(String.valueOf(uri));
        }
        return new File(new File(getContext().getCacheDir(), FOLDER), name);
    }

    @Override
    public ParcelFileDescriptor openFile(Uri uri, String mode) throws FileNotFoundException {
        return ParcelFileDescriptor.open(fileOf(uri), ParcelFileDescriptor.parseMode(mode));
    }

    @Override
    public String getType(Uri uri) {
        String name = String.valueOf(uri.getLastPathSegment());
        return name.endsWith(".mp4") ? "video/mp4" : name.endsWith(".png") ? "image/png" : "image/jpeg";
    }

    @Override
    public Cursor query(Uri uri, String[] columns, String selection, String[] values, String order) {
        try {
            File file = fileOf(uri);
            MatrixCursor cursor = new MatrixCursor(new String[] {OpenableColumns.DISPLAY_NAME, OpenableColumns.SIZE});
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
