// Holds figures of Java methods against the compiler's own tree: parameters, lines, loops and branches, and how deep
// they nest.
//
//     java fuzz/references/Java.java target/release/swage FOLDER
//
// Prints how many methods were compared and each that differs; exit code 1 when one does. It needs a JDK of 17 or newer.

import com.sun.source.tree.CaseTree;
import com.sun.source.tree.CatchTree;
import com.sun.source.tree.CompilationUnitTree;
import com.sun.source.tree.IfTree;
import com.sun.source.tree.LambdaExpressionTree;
import com.sun.source.tree.LineMap;
import com.sun.source.tree.MethodTree;
import com.sun.source.tree.Tree;
import com.sun.source.util.JavacTask;
import com.sun.source.util.SourcePositions;
import com.sun.source.util.TreeScanner;
import com.sun.source.util.Trees;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.EnumSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import javax.tools.DiagnosticCollector;
import javax.tools.JavaCompiler;
import javax.tools.JavaFileObject;
import javax.tools.StandardJavaFileManager;
import javax.tools.ToolProvider;

public class Java {
    /** A method's figures. Lines are counted without annotations. */
    record Figures(int parameters, int lines, int branches, int nesting) {
        static Figures of(String measure, int value) {
            return new Figures(measure.equals("parameters") ? value : 0, measure.equals("lines") ? value : 0,
                    measure.equals("branches") ? value : 0, measure.equals("nesting") ? value : 0);
        }

        Figures and(Figures other) {
            return new Figures(parameters + other.parameters, lines + other.lines, branches + other.branches,
                    nesting + other.nesting);
        }
    }

    static final String RULE = """
            [[rule]]
            id = "%1$s"
            severity = "note"
            title = "%1$s"
            message = "{value}"
            skip_generated = false
            languages = ["java"]
            [rule.match]
            measure = "%1$s"
            over = 0
            """;

    /** White space and comments. */
    static final Pattern BLANK = Pattern.compile("(?s)(?:\\s|//[^\n]*|/\\*.*?\\*/)*+");

    static int compared = 0;
    static int wrong = 0;

    public static void main(String[] args) throws Exception {
        Path folder = Path.of(args[1]);
        Map<String, Figures> ours = found(args[0], folder);
        JavaCompiler compiler = ToolProvider.getSystemJavaCompiler();
        List<Path> files;
        try (Stream<Path> all = Files.walk(folder)) {
            files = all.filter(path -> path.toString().endsWith(".java") && Files.isRegularFile(path)).sorted().toList();
        }
        for (Path file : files) {
            compare(compiler, folder, file, ours);
        }
        System.out.println(compared + " methods compared, " + wrong + " different");
        System.exit(wrong == 0 ? 0 : 1);
    }

    /** What the program finds, by file and place of the name, counted from 1. */
    static Map<String, Figures> found(String program, Path folder) throws IOException, InterruptedException {
        Path config = Files.createTempFile("references", ".toml");
        Files.writeString(config, RULE.formatted("parameters") + RULE.formatted("lines")
                + RULE.formatted("branches") + RULE.formatted("nesting"));
        Process process = new ProcessBuilder(program, "scan", "--tree", folder.toString(), "--config", config.toString(),
                "--format", "lines", "--no-cache").redirectError(ProcessBuilder.Redirect.DISCARD).start();
        Map<String, Figures> all = new HashMap<>();
        Pattern line = Pattern.compile("(.*:\\d+:\\d+): note: (\\d+) \\[(parameters|lines|branches|nesting)\\]");
        try (var out = new BufferedReader(new InputStreamReader(process.getInputStream(), StandardCharsets.UTF_8))) {
            for (String text = out.readLine(); text != null; text = out.readLine()) {
                Matcher told = line.matcher(text);
                if (told.matches()) {
                    Figures own = Figures.of(told.group(3), Integer.parseInt(told.group(2)));
                    all.merge(told.group(1), own, Figures::and);
                }
            }
        }
        process.waitFor();
        Files.delete(config);
        return all;
    }

    static void compare(JavaCompiler compiler, Path folder, Path file, Map<String, Figures> ours) throws IOException {
        DiagnosticCollector<JavaFileObject> faults = new DiagnosticCollector<>();
        try (StandardJavaFileManager manager = compiler.getStandardFileManager(faults, null, StandardCharsets.UTF_8)) {
            JavacTask task =
                    (JavacTask) compiler.getTask(null, manager, faults, null, null, manager.getJavaFileObjects(file));
            Iterable<? extends CompilationUnitTree> units = task.parse();
            if (!faults.getDiagnostics().isEmpty()) {
                return;
            }
            SourcePositions positions = Trees.instance(task).getSourcePositions();
            String text = Files.readString(file);
            for (CompilationUnitTree unit : units) {
                LineMap map = unit.getLineMap();
                new TreeScanner<Void, Void>() {
                    @Override
                    public Void visitMethod(MethodTree method, Void nothing) {
                        long end = positions.getEndPosition(unit, method);
                        // Constructors of records may have no parameters of their own.
                        if (method.getBody() != null && !method.getName().contentEquals("<init>")) {
                            int from = (int) (method.getReturnType() == null ? positions.getStartPosition(unit, method)
                                    : positions.getEndPosition(unit, method.getReturnType()));
                            int at = text.indexOf(method.getName().toString(), from);
                            long line = map.getLineNumber(at);
                            long column = text.codePointCount(text.lastIndexOf('\n', at) + 1, at) + 1;
                            String place = folder.relativize(file) + ":" + line + ":" + column;
                            Figures got = ours.get(place);
                            if (got != null) {
                                compared++;
                                int head = lines(text, (int) first(unit, method, positions), at);
                                int lines = (int) (map.getLineNumber(end) - line) + 1 + head;
                                Branching branching = new Branching();
                                branching.scan(method.getBody(), null);
                                Figures theirs = new Figures(method.getParameters().size(), lines, branching.count, branching.deepest);
                                if (!got.equals(theirs)) {
                                    wrong++;
                                    System.out.println(place + ": " + method.getName() + ": " + theirs + "; found " + got);
                                }
                            }
                        }
                        return super.visitMethod(method, nothing);
                    }
                }.scan(unit, null);
            }
        }
    }

    /** Counts loops and branches of a method, those of functions inside aside, and how deep they nest. */
    static class Branching extends TreeScanner<Void, Void> {
        static final Set<Tree.Kind> DEEPER = EnumSet.of(Tree.Kind.IF, Tree.Kind.SWITCH, Tree.Kind.SWITCH_EXPRESSION,
                Tree.Kind.CONDITIONAL_EXPRESSION, Tree.Kind.FOR_LOOP, Tree.Kind.ENHANCED_FOR_LOOP, Tree.Kind.WHILE_LOOP,
                Tree.Kind.DO_WHILE_LOOP);
        int count = 0;
        int depth = 0;
        int deepest = 0;
        Tree elseIf = null;

        @Override
        public Void scan(Tree node, Void nothing) {
            if (node == null || node instanceof LambdaExpressionTree || node instanceof MethodTree) {
                return null;
            }
            boolean isPart = node instanceof CaseTree || node instanceof CatchTree || node == elseIf;
            boolean isDeeper = !isPart && DEEPER.contains(node.getKind());
            count += isPart || isDeeper ? 1 : 0;
            depth += isDeeper ? 1 : 0;
            deepest = Math.max(deepest, depth);
            if (node instanceof IfTree choice) {
                scan(choice.getCondition(), null);
                scan(choice.getThenStatement(), null);
                elseIf = choice.getElseStatement() instanceof IfTree inner ? inner : null;
                scan(choice.getElseStatement(), null);
            } else {
                super.scan(node, nothing);
            }
            depth -= isDeeper ? 1 : 0;
            return null;
        }
    }

    /** Where a method begins, its annotations aside. */
    static long first(CompilationUnitTree unit, MethodTree method, SourcePositions positions) {
        long from = positions.getStartPosition(unit, method);
        for (var annotation : method.getModifiers().getAnnotations()) {
            from = Math.max(from, positions.getEndPosition(unit, annotation));
        }
        return from;
    }

    /** How many line ends there are between the first word from one offset on, comments aside, and another offset. */
    static int lines(String text, int from, int to) {
        Matcher blank = BLANK.matcher(text).region(from, to);
        int start = blank.lookingAt() ? blank.end() : from;
        return (int) text.substring(start, to).chars().filter(c -> c == '\n').count();
    }
}
