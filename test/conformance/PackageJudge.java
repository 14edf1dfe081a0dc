import com.android.apksig.ApkVerifier;
import java.io.File;
import java.util.Arrays;

/** Asks the platform's own verifier about every package of a folder: a line each, with its verdict. */
public class PackageJudge {
    public static void main(String[] arguments) {
        File[] files = new File(arguments[0]).listFiles((folder, name) -> name.endsWith(".apk"));
        Arrays.sort(files);
        for (File file : files) {
            String verdict;
            try {
                ApkVerifier.Result result = new ApkVerifier.Builder(file).build().verify();
                verdict = result.isVerified() ? "holds" : "fails " + result.getAllErrors();
            } catch (Throwable e) {
                verdict = "fails " + e;
            }
            System.out.println(file.getName() + "\t" + verdict.replaceAll("\\s+", " "));
        }
    }
}
