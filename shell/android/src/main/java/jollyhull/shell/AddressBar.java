package jollyhull.shell;

import android.content.Context;
import android.graphics.Path;
import android.net.Uri;
import android.text.TextUtils;
import android.view.Gravity;
import android.view.View;
import android.widget.LinearLayout;
import android.widget.TextView;

/**
 * Whose page it is that is on screen, where it is not one of the app's own; and the way back to
 * those.
 */
final class AddressBar extends LinearLayout {
    static final int HEIGHT_DP = 48;
    private static final int EDGE_DP = 16;

    final View close;
    private final TextView address;

    AddressBar(Context context, ShellSettings settings, final Runnable onClose) {
        super(context);
        Colors colors = settings.now(context);
        int ink = Colors.inkOn(colors.theme);
        int height = Pixels.of(context, HEIGHT_DP);
        setBackgroundColor(colors.theme);
        setGravity(Gravity.CENTER_VERTICAL);
        close =
                new Sign(context, ink, settings.word("close"), onClose) {
                    /** A cross. */
                    @Override
                    void outline(Path path, float side) {
                        path.moveTo(side * 0.1f, side * 0.1f);
                        path.lineTo(side * 0.9f, side * 0.9f);
                        path.moveTo(side * 0.9f, side * 0.1f);
                        path.lineTo(side * 0.1f, side * 0.9f);
                    }
                };
        address = label(context, ink);
        // The end of a host's name tells whose it is.
        address.setEllipsize(TextUtils.TruncateAt.START);
        address.setTextDirection(TEXT_DIRECTION_LTR);
        address.setTextAlignment(TEXT_ALIGNMENT_VIEW_START);
        address.setPaddingRelative(0, 0, Pixels.of(context, EDGE_DP), 0);
        addView(close, new LayoutParams(height, height));
        addView(address, new LayoutParams(0, LayoutParams.WRAP_CONTENT, 1));
    }

    private static TextView label(Context context, int ink) {
        TextView view = new TextView(context);
        view.setTextSize(16);
        view.setSingleLine();
        view.setHorizontallyScrolling(false);
        view.setTextColor(ink);
        return view;
    }

    void show(String url) {
        String host = Uri.parse(url).getHost();
        address.setText(host == null ? "" : host);
    }

    String shown() {
        return address.getText().toString();
    }
}
