package jollyhull.shell;

import android.app.Activity;
import android.content.ActivityNotFoundException;
import android.content.ClipData;
import android.content.Intent;
import android.net.Uri;
import android.provider.MediaStore;
import android.webkit.MimeTypeMap;
import android.webkit.ValueCallback;
import android.webkit.WebChromeClient;

import java.io.File;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;

/** File fields of pages: the system's pickers, several files, and the camera. */
final class FileChooser {
    /**
     * A whole folder is asked for; only newer engines name it so
     * (FileChooserParams.MODE_OPEN_FOLDER).
     */
    private static final int MODE_FOLDER = 2;

    private final Activity activity;
    private final ShellSettings settings;
    private final AskFlow flow;
    private ValueCallback<Uri[]> answer;

    /** Where the camera writes, by the address that it was given. */
    private final List<File> shots = new ArrayList<File>();

    FileChooser(Activity activity, ShellSettings settings, AskFlow flow) {
        this.activity = activity;
        this.settings = settings;
        this.flow = flow;
    }

    void choose(ValueCallback<Uri[]> given, WebChromeClient.FileChooserParams params) {
        giveUp();
        answer = given;
        if (params.getMode() == MODE_FOLDER) {
            start(new Intent(Intent.ACTION_OPEN_DOCUMENT_TREE));
            return;
        }
        ShotFiles.removeOld(activity);
        final Set<String> types = types(params.getAcceptTypes());
        final boolean several =
                params.getMode() == WebChromeClient.FileChooserParams.MODE_OPEN_MULTIPLE;
        final boolean capture = params.isCaptureEnabled();
        // The system's camera wants the permission only of apps that declare it.
        if (takesPictures(types) && settings.permissions.containsKey("camera")) {
            flow.ask(
                    "camera",
                    new AskFlow.Answer() {
                        @Override
                        public void answer(boolean granted) {
                            open(types, several, capture, granted);
                        }
                    });
        } else {
            open(types, several, capture, takesPictures(types));
        }
    }

    /**
     * Content types of an {@code accept} attribute; endings of file names by the platform's own
     * table.
     */
    static Set<String> types(String[] accept) {
        Set<String> types = new LinkedHashSet<String>();
        for (String list : accept == null ? new String[0] : accept) {
            for (String part : list.split(",")) {
                String type = part.trim().toLowerCase(java.util.Locale.ROOT);
                if (type.startsWith(".")) {
                    type = MimeTypeMap.getSingleton().getMimeTypeFromExtension(type.substring(1));
                }
                if (type != null && type.contains("/")) {
                    types.add(type);
                }
            }
        }
        return types;
    }

    private static boolean takesPictures(Set<String> types) {
        return shows(types, "image/") || shows(types, "video/");
    }

    private static boolean shows(Set<String> types, String kind) {
        for (String type : types) {
            if (type.startsWith(kind)) {
                return true;
            }
        }
        return false;
    }

    private void open(Set<String> types, boolean several, boolean capture, boolean camera) {
        if (answer == null) {
            return;
        }
        List<Intent> cameras = new ArrayList<Intent>();
        if (camera && shows(types, "image/")) {
            cameras.add(camera(MediaStore.ACTION_IMAGE_CAPTURE, "jpg"));
        }
        if (camera && shows(types, "video/")) {
            cameras.add(camera(MediaStore.ACTION_VIDEO_CAPTURE, "mp4"));
        }
        Intent intent;
        if (capture && cameras.size() == 1) {
            intent = cameras.get(0);
        } else if (capture && shows(types, "audio/")) {
            // The recorder asks for the microphone by itself, and answers with the address of what
            // was recorded.
            intent = new Intent(MediaStore.Audio.Media.RECORD_SOUND_ACTION);
        } else {
            Intent pick =
                    new Intent(Intent.ACTION_GET_CONTENT).addCategory(Intent.CATEGORY_OPENABLE);
            pick.setType(types.size() == 1 ? types.iterator().next() : "*/*");
            if (types.size() > 1) {
                pick.putExtra(Intent.EXTRA_MIME_TYPES, types.toArray(new String[0]));
            }
            pick.putExtra(Intent.EXTRA_ALLOW_MULTIPLE, several);
            intent =
                    cameras.isEmpty()
                            ? pick
                            : Intent.createChooser(pick, settings.word("chooseFile"))
                                    .putExtra(
                                            Intent.EXTRA_INITIAL_INTENTS,
                                            cameras.toArray(new Intent[0]));
        }
        start(intent);
    }

    private void start(Intent intent) {
        try {
            activity.startActivityForResult(intent, RequestCodes.FILES);
        } catch (ActivityNotFoundException | SecurityException e) {
            giveUp();
            OutsideLinks.sayNoApp(activity, settings);
        }
    }

    private Intent camera(String action, String extension) {
        File shot = ShotFiles.create(activity, extension);
        shots.add(shot);
        Uri uri = ShotFiles.uriOf(activity, shot);
        Intent intent = new Intent(action).putExtra(MediaStore.EXTRA_OUTPUT, uri);
        intent.setClipData(ClipData.newRawUri("", uri));
        return intent.addFlags(
                Intent.FLAG_GRANT_WRITE_URI_PERMISSION | Intent.FLAG_GRANT_READ_URI_PERMISSION);
    }

    /** What the picker or the camera gave. */
    void onResult(int result, Intent data) {
        if (answer == null) {
            return;
        }
        List<Uri> found = new ArrayList<Uri>();
        if (result == Activity.RESULT_OK) {
            if (data != null && data.getClipData() != null) {
                for (int i = 0; i < data.getClipData().getItemCount(); i++) {
                    add(found, data.getClipData().getItemAt(i).getUri());
                }
            } else if (data != null && data.getData() != null) {
                add(found, data.getData());
            }
            if (found.isEmpty()) {
                for (File shot : shots) {
                    if (shot.length() > 0) {
                        found.add(ShotFiles.uriOf(activity, shot));
                    }
                }
            }
        }
        ValueCallback<Uri[]> given = answer;
        answer = null;
        shots.clear();
        given.onReceiveValue(found.isEmpty() ? null : found.toArray(new Uri[0]));
    }

    /**
     * Another app may answer with any address: only content is handed to a page, never a file of
     * this app's.
     */
    private static void add(List<Uri> found, Uri uri) {
        if (uri != null && "content".equals(uri.getScheme())) {
            found.add(uri);
        }
    }

    private void giveUp() {
        if (answer != null) {
            ValueCallback<Uri[]> given = answer;
            answer = null;
            given.onReceiveValue(null);
        }
        shots.clear();
    }
}
